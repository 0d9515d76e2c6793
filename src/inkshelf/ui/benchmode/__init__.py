"""Bench mode: one step large on the screen, readable from two metres, with a clock."""
