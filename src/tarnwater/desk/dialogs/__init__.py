"""Dialogs: the few things that are asked apart from the benches."""
