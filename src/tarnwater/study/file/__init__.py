"""Reading and writing a study in either of its forms."""

from tarnwater.study.file.study_file import SUFFIX, StudyFile, now

__all__ = ["SUFFIX", "StudyFile", "now"]
