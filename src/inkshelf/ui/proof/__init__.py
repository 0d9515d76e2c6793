"""Proof: the machine as built, held against its plan."""
