"""Answers that hold for a whole version of a project are worked out once."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from typing import Any, ParamSpec, Protocol, TypeVar, cast

from zephyrun.linking.answers import Answers

_Arguments = ParamSpec("_Arguments")
_Answer = TypeVar("_Answer")


class Remembering(Protocol):
    """What knows one version of a project, and keeps answers about it."""

    answers: Answers[Any]


def once_a_version(question: Callable[_Arguments, _Answer]) -> Callable[_Arguments, _Answer]:
    """Remember the answers to a question with what is asked first, which knows the version. All else that is
    handed in must be hashable, and stand by position."""

    # By name, and not by itself, so that the answer can be kept until the next run.
    name = f"{question.__module__}.{question.__qualname__}"

    @wraps(question)
    def asked(*args: _Arguments.args, **kwargs: _Arguments.kwargs) -> _Answer:
        knowing = cast(Remembering, args[0])
        return knowing.answers.once((name, *args[1:]), lambda: question(*args, **kwargs))

    return asked
