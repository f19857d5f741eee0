"""Even Ballot: from questionnaire answers to weighted, released tables."""

__version__ = "0.1.0"
