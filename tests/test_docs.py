"""The pages made from the code are those kept."""

import runpy
from pathlib import Path

DOCS = Path(__file__).parents[1] / "docs"


def test_the_methods_page_is_up_to_date():
    made = runpy.run_path(str(DOCS / "make_methods.py"))["page"]()
    assert made == (DOCS / "methods.md").read_text(encoding="utf-8")
