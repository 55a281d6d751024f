"""Tarnwater: flood hydrology at a desk."""

__version__ = "0.2.0"
