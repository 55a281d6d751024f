"""Frequency of extremes: L-moments, distributions, fits with their limits, and tests."""
