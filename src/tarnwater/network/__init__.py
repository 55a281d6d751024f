"""The graph of elements and links, and the engine that computes cases on it."""
