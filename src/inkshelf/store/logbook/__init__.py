"""The shop's logbook: every job with its machine, its times, what was met and noted; in a database, found again as one types."""
