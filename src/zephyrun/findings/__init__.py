"""What is hard to read: detectors, each a function of facts, and the table of kinds.

`survey_source` runs every registered detector over one file. It is pure and picklable, so it runs
in worker processes.
"""

from zephyrun.findings.finding import Finding, Remedy
from zephyrun.findings.surveying import FileSurvey, survey_source
from zephyrun.findings.table import FAMILIES, KINDS, Kind

__all__ = ["FAMILIES", "KINDS", "FileSurvey", "Finding", "Kind", "Remedy", "survey_source"]
