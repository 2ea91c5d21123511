"""What the suite says at its end: how much the near-misses show."""

from hypothesis import settings

# How long an example takes says more about the machine than about the code.
settings.register_profile("steady", deadline=None)
settings.load_profile("steady")

_NEAR_MISSES = "test_near_misses_are_not_the_same"


def pytest_terminal_summary(terminalreporter):
    """By the rule of three: none of n bounds the rate below 3/n, with 95 % confidence."""
    reports = {
        outcome: sum(_NEAR_MISSES in report.nodeid for report in terminalreporter.stats.get(outcome, ()))
        for outcome in ("passed", "failed")
    }
    n_misses = sum(reports.values())
    if n_misses:
        bound = f": a rate under {3 / n_misses:.1%}" if not reports["failed"] else ""
        terminalreporter.line(f"near-misses called the same: {reports['failed']} of {n_misses}{bound}")
