"""Forms of storage.

A form is one module with one model, a `StorageForm`, which states its contract. To add one: write ``<name>.py``
beside these and import it here.
"""

from typing import Annotated

from tarnwater.methods import OneOf
from tarnwater.routing.ponds.forms.chambers import Chambers
from tarnwater.routing.ponds.forms.contours import Contours
from tarnwater.routing.ponds.forms.form import StorageForm
from tarnwater.routing.ponds.forms.frustum import Frustum
from tarnwater.routing.ponds.forms.prism import Prism
from tarnwater.routing.ponds.forms.stage_volume import StageVolume

AnyStorage = Annotated[StorageForm, OneOf(StorageForm)]

__all__ = ["AnyStorage", "Chambers", "Contours", "Frustum", "Prism", "StageVolume", "StorageForm"]
