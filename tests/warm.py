"""Compiles the kernels that the demo needs, so that the workers of the tests find them compiled."""

from tarnwater.demo.study import build_demo
from tarnwater.study.answers import compute_cases

if __name__ == "__main__":
    compute_cases(build_demo()[0])
