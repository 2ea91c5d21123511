"""What a library hands to the methods that it calls, where it is always of one class.

A project may call them as well, with something else, but has no reason to: what formats a record is given records.
Source: library reference, `logging`.
"""

from __future__ import annotations

from zephyrun.link_facts import FunctionRecord
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.value_sorts import Value, Values, ValueSort
from zephyrun.linking.values import Evaluator

_RECORD = "logging.LogRecord"
# The methods that are given a record first, by the base that has them.
_TAKING_RECORDS = {
    "logging.Formatter": frozenset("format formatTime formatMessage".split()),
    "logging.Filterer": frozenset({"filter"}),
    "logging.Filter": frozenset({"filter"}),
    "logging.Handler": frozenset("emit handle format handleError prepare enqueue shouldFlush shouldRollover mapLogRecord".split()),
    "logging.Logger": frozenset({"handle", "callHandlers"}),
}


def given_by_library(evaluator: Evaluator, file: LinkedFile, record: FunctionRecord, parameter: str) -> Values | None:
    """What a parameter of a method is when the library calls it; `None` where that is not known."""
    names = [each.name for each in record.parameters[1:2]]
    if record.owner < 0 or names != [parameter] or record.decorators:
        return None
    key = file.path, record.owner
    above = {*evaluator.foreign_above(key), *(evaluator.library_name(Value(ValueSort.CLASS, *each)) for each in evaluator.above(key))}
    if not any(record.name in _TAKING_RECORDS.get(base, ()) for base in above):
        return None
    read = evaluator.library_class(_RECORD)
    return frozenset({Value(ValueSort.FOREIGN, name=f"{_RECORD}()") if read is None else Value(ValueSort.INSTANCE, *read)})
