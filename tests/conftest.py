"""What the suite says at its end: how much the near-misses show."""

import gc
import os
import tempfile
from pathlib import Path

from hypothesis import settings

# How long an example takes says more about the machine than about the code.
settings.register_profile("steady", deadline=None)
settings.load_profile("steady")
# Trees and facts hold no cycles, and the collector goes through them again and again: an eighth of the time.
gc.set_threshold(200_000, 50, 100)

# Nothing is left with what programs keep for the person who runs the suite.
os.environ["XDG_STATE_HOME"] = str(Path(tempfile.gettempdir(), "zephyrun-tests-state"))

_COUNTED = {
    "test_near_misses_are_not_the_same": "near-misses called the same",
    "test_no_proved_rename_does_another_thing": "programs with a proved rename that do another thing",
}


def pytest_xdist_auto_num_workers():
    """One more than there are processors: tests of commands wait for what they start."""
    return (os.cpu_count() or 1) + 1


def pytest_terminal_summary(terminalreporter):
    """By the rule of three: none of n bounds the rate below 3/n, with 95 % confidence."""
    for test, what in _COUNTED.items():
        reports = [each for some in ("passed", "failed") for each in terminalreporter.stats.get(some, ()) if test in each.nodeid]
        counted = [{"counts": 0, "wrong": int(each.failed), **dict(each.user_properties)} for each in reports]
        n_programs, n_wrong = (sum(each[word] for each in counted) for word in ("counts", "wrong"))
        if n_programs:
            bound = f": a rate under {3 / n_programs:.1%}" if not n_wrong else ""
            terminalreporter.line(f"{what}: {n_wrong} of {n_programs}{bound}")
