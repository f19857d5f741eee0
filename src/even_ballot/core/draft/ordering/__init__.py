"""The order of answers, by what they say."""
