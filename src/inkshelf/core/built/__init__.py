"""The machine as built: what a fresh reading of it has, against what was planned."""
