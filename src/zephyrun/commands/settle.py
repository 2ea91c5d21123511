"""`zephyrun settle`: the whole layout stage in one go."""

from __future__ import annotations

import argparse

from zephyrun.commands import options
from zephyrun.commands.apply import add_check_options, run_plan
from zephyrun.commands.project_survey import survey_paths
from zephyrun.findings.table import KINDS
from zephyrun.plan import Plan, steps_from_findings
from zephyrun.source.fingerprint import fingerprint

_LAYOUT = tuple(name for name, kind in KINDS.items() if kind.family == "layout")


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Options of this command."""
    options.add_paths(parser)
    options.add_since(parser)
    add_check_options(parser)
    options.add_dry_run(parser)
    options.add_jobs(parser)
    options.add_format(parser)


def run(arguments: argparse.Namespace) -> int:
    """Mend whatever departs from the project's habits and can be mended without anybody's word."""
    survey = survey_paths(arguments.paths, _LAYOUT, arguments.jobs, arguments.since)
    steps = steps_from_findings(survey.findings)
    fingerprints = {path: fingerprint(survey.contents[path]) for path in {step.path for step in steps}}
    arguments.remember = arguments.learn = False
    return run_plan(Plan(survey.root, fingerprints, steps), arguments, "settle")
