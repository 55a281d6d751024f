"""Works in the document: those that are adopted for a pond."""

from __future__ import annotations

from tarnwater.parameters import Model, Name
from tarnwater.routing.ponds import AnyStorage
from tarnwater.routing.works import AnyDevice


class Adopted(Model):
    """The works of a pond that are meant to be built, under a name, with what they were found to do.

    ``pond`` is its key, ``condition`` that of the condition, ``outcome`` was told when they were adopted.
    """

    name: Name
    pond: str
    condition: str
    storage: tuple[AnyStorage, ...] = ()
    devices: tuple[AnyDevice, ...] = ()
    outcome: str = ""
    by: str = ""
    at: str = ""
    note: str = ""
