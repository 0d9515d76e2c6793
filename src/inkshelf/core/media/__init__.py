"""Media: what an image holds, and what it needs of a stick."""
