"""The day: several machines on one bench, waiting overlapped with work; one person, two ports, one network."""
