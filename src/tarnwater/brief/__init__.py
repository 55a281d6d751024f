"""What leaves a study: tables and pictures."""
