"""Tarnwater: flood hydrology at a desk."""

__version__ = "0.1.0"
