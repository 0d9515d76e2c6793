"""One step each, from one version of the tables to the next."""
