"""Routing of flow: reaches."""
