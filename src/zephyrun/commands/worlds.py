"""What a judgement of renames knows of a project besides its files."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from types import MappingProxyType

from zephyrun.project.audience import is_library
from zephyrun.project.kept_facts import KeptFacts
from zephyrun.project.library import read_library
from zephyrun.project.settings import Settings
from zephyrun.proof.remains import Surroundings
from zephyrun.proof.renames import World


def world_of(
    root: Path,
    settings: Settings,
    kept_facts: KeptFacts | None,
    surroundings: Mapping[str, Surroundings] = MappingProxyType({}),
) -> World:
    """The world of the project at a root, as its settings say. `surroundings` are what its files know of each other,
    where that is known already."""
    return World(
        settings.import_roots,
        settings.harmless_decorators,
        read_library,
        is_library(root, settings),
        surroundings,
        kept_facts,
        harmless_readers=settings.harmless_readers,
    )
