"""What a plan says of steps that reach beyond their files."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from zephyrun.changes.rename_outlook import with_outlook
from zephyrun.changes.step import Step
from zephyrun.commands import options
from zephyrun.languages.python.reading import without_collector
from zephyrun.project.audience import is_library
from zephyrun.project.discovery import read_project
from zephyrun.project.kept_facts import KeptFacts
from zephyrun.project.library import read_library
from zephyrun.project.settings import read_settings
from zephyrun.proof.renames import World
from zephyrun.proof.surroundings import find_surroundings


def look_at(root: Path, steps: Sequence[Step]) -> list[Step]:
    """Those of some rename steps that can be carried out, each with what there is to confirm."""
    settings = read_settings(root)
    contents = read_project(root)
    for_outsiders = is_library(root, settings)
    surroundings = find_surroundings(contents, settings.import_roots, is_library=for_outsiders)
    kept_facts = KeptFacts(root)
    world = World(
        settings.import_roots,
        settings.harmless_decorators,
        read_library,
        for_outsiders,
        surroundings,
        kept_facts,
    )
    with options.waiting("looking at who else uses the names"), without_collector():
        found = with_outlook(contents, steps, world)
    kept_facts.save()
    return found
