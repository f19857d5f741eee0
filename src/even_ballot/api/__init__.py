"""The web API: thin, one router a station."""
