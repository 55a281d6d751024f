"""Tarnwater: flood hydrology at a desk."""

import os

# plugins of other programs must not change how a study is read, and searching for them takes time
os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")

__version__ = "0.2.0"
