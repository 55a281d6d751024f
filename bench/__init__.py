"""Benchmarks: interleaved pairs of the program's work and a stated base, the ratio of each pair."""
