"""What a plan says of steps that reach beyond their files."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path

from zephyrun.changes.rename_outlook import Outlook, outlook_of
from zephyrun.changes.step import Step
from zephyrun.commands import options
from zephyrun.commands.worlds import world_of
from zephyrun.languages.python.reading import without_collector
from zephyrun.linking.linkage import Content
from zephyrun.project.audience import is_library
from zephyrun.project.kept_facts import KeptFacts
from zephyrun.project.settings import read_settings
from zephyrun.proof.surroundings import find_surroundings


def look_at(root: Path, contents: Mapping[str, Content], steps: Sequence[Step]) -> Outlook:
    """What would become of some rename steps in the project at a root, whose files have these contents."""
    settings = read_settings(root)
    surroundings = find_surroundings(
        contents,
        settings.import_roots,
        is_library=is_library(root, settings),
        harmless_readers=settings.harmless_readers,
    )
    kept_facts = KeptFacts(root)
    with options.waiting("looking at who else uses the names"), without_collector():
        found = outlook_of(contents, steps, world_of(root, settings, kept_facts, surroundings))
    kept_facts.save()
    return found
