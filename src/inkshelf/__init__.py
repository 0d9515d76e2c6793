"""Ink Shelf plans disk layouts that several operating systems share."""

__version__ = "0.1.0"
