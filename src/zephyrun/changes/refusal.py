"""A change that is not made is an answer, with its reason."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Refusal:
    """Why a step is not carried out: one plain sentence, with what to do where that helps."""

    reason: str
