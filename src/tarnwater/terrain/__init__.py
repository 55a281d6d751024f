"""Elevation grid, conditioned grid, flow directions, streams, catchments, flow paths."""
