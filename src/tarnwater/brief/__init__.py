"""Output of a study: tables and pictures."""
