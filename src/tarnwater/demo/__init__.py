"""The demo study: the invented valley of Pellow Beck, how it is made, and what it made."""
