"""How a logbook of an earlier version becomes one of this (Alembic)."""
