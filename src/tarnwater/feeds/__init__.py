"""Clients of open protocols, and the small stand-in servers that ship with the program."""
