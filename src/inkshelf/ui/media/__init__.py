"""The chapter Media: what goes on which stick."""
