"""Dialogs: what is asked outside the benches."""
