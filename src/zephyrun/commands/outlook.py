"""What a plan says of steps that reach beyond their files."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from functools import partial
from pathlib import Path

from zephyrun.changes.rename_outlook import Outlook, outlook_of
from zephyrun.changes.step import Step
from zephyrun.commands import options
from zephyrun.commands.worlds import world_of
from zephyrun.languages.python.reading import without_collector
from zephyrun.linking.linkage import Content
from zephyrun.project.kept_facts import KeptFacts
from zephyrun.project.left_out import why_kept
from zephyrun.project.settings import read_settings


def look_at(root: Path, contents: Mapping[str, Content], steps: Sequence[Step]) -> Outlook:
    """What would become of some rename steps in the project at a root, whose files have these contents."""
    settings = read_settings(root)
    kept_facts = KeptFacts(root)
    kept_facts.recall_glances(contents.values())
    world = world_of(root, settings, kept_facts)
    world = replace(world, surroundings=world.look_around(contents))
    with options.waiting("looking at who else uses the names"), without_collector():
        named = {step.path for step in steps}
        found = outlook_of(contents, steps, world, partial(why_kept, settings=settings, named=tuple(named)))
    kept_facts.save()
    return found
