"""Widgets that benches share."""
