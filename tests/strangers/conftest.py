"""Strangers among methods and elements: there while a test of this package runs, and gone after it."""

import pytest

from tarnwater.network.elements import Element

from . import elements, methods


@pytest.fixture(autouse=True)
def strangers(monkeypatch):
    """Enter the strangers among their kinds."""
    for one in methods.ALL:
        monkeypatch.setitem(methods.kind_among(one).known, one.tag(), one)
    for one in elements.ALL:
        monkeypatch.setitem(Element.known, one.tag(), one)
