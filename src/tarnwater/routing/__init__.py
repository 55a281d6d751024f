"""Routing of flow: reaches, ponds, and their outlet works."""
