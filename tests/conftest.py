"""Shared fixtures: the demo study and its results are built once in each worker."""

import pytest

from tarnwater.demo.study import build_demo
from tarnwater.study.answers import compute_cases


@pytest.fixture(scope="session")
def demo():
    """The demo study and its blobs."""
    return build_demo()


@pytest.fixture(scope="session")
def demo_study(demo):
    return demo[0]


@pytest.fixture(scope="session")
def demo_results(demo_study):
    return compute_cases(demo_study)
