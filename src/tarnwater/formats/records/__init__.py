"""Records of rain and flow in delimited text and workbooks: proposed, previewed and read."""

from tarnwater.formats.records.proposing import Proposal, propose
from tarnwater.formats.records.reader import BadRows, PreviewRow, ReadRecords, preview, read_records
from tarnwater.formats.records.reading import Column, Reading

__all__ = [
    "BadRows", "Column", "PreviewRow", "Proposal", "ReadRecords", "Reading", "preview", "propose", "read_records",
]  # fmt: skip
