"""Records of rain and flow in delimited text and workbooks: proposed, previewed and read."""

from tarnwater.formats.records.proposing import Proposal, propose
from tarnwater.formats.records.reader import BadRows, ReadRecords, read_records
from tarnwater.formats.records.reading import Column, Reading

__all__ = ["BadRows", "Column", "Proposal", "ReadRecords", "Reading", "propose", "read_records"]
