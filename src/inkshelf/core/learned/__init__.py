"""How long things take in this shop, learned from its own logbook: bands, not numbers, and how often they held."""
