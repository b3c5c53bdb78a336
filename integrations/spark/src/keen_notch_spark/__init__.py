"""Keen Notch cut lists on Apache Spark.

The list runs where the data is: each task hands its rows to the program ``keen-notch`` as a stream of Arrow, and takes them back with the
pieces. What comes out, cells and counts, is what one run of the program over all rows gives.
"""

from .errors import CutListError, WorkerError
from .frames import carve, check, merge, offcuts, summary

__all__ = ["CutListError", "WorkerError", "carve", "check", "merge", "offcuts", "summary"]
