"""The demo study: the invented valley of Pellow Beck, its generator and its data."""
