"""What is hard to read: detectors, each a function of facts, and the table of kinds.

`survey_source` runs every registered detector over one file. It is pure and picklable, so it runs
in worker processes. What is exported here is loaded when it is asked for: naming alone needs no detector.
"""

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from zephyrun.findings.finding import Finding, Remedy
    from zephyrun.findings.surveying import FileSurvey, survey_source
    from zephyrun.findings.table import FAMILIES, KINDS, Kind

__all__ = ["FAMILIES", "KINDS", "FileSurvey", "Finding", "Kind", "Remedy", "survey_source"]

_ROOMS = {
    "finding": ("Finding", "Remedy"),
    "surveying": ("FileSurvey", "survey_source"),
    "table": ("FAMILIES", "KINDS", "Kind"),
}


def __getattr__(name: str) -> object:
    from importlib import import_module

    for room, names in _ROOMS.items():
        if name in names:
            return getattr(import_module(f"zephyrun.findings.{room}"), name)
    raise AttributeError(f"zephyrun.findings has no {name}")
