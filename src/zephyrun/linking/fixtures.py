"""Fixtures of tests: functions that tests ask for by the names of their parameters."""

from __future__ import annotations

import re
from collections.abc import Iterator

from zephyrun.facts import ScopeKind
from zephyrun.link_facts import FunctionRecord, Origin, OriginSort
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.modules import is_test
from zephyrun.linking.remembering import once_a_version
from zephyrun.linking.value_sorts import Values
from zephyrun.linking.values import Evaluator, decorator_callee
from zephyrun.patterns import lazy_pattern

_SHARED_FILE = "conftest.py"
_FIXTURE = "fixture"
# What takes names of fixtures or of parameters as texts: `usefixtures("hive")`,
# `parametrize("kg, day", …)`, `getfixturevalue("hive")`.
_TAKES_FIXTURES = frozenset({"usefixtures", "getfixturevalue"})
_TAKES_PARAMETERS = "parametrize"
# Where one of these stands, parameters may be filled from texts.
_NAMING_PARAMETERS = (b"parametrize", b"fixture(")
# Where this stands, under names that are worked out, too.
_FILLING_ALL = "pytest_generate_tests"
_WORD = lazy_pattern(r"\w+")
_NAMED_FIXTURE = lazy_pattern(r"(\w+)\s*=\s*[\w.]*fixture\(")
_FIXTURES = frozenset({"pytest.fixture", "_pytest.fixtures.fixture"})


def is_fixture(record: FunctionRecord) -> bool:
    """Whether a function is decorated as a fixture under its own name."""
    return any(decorator_callee(each).name == _FIXTURE for each in record.decorators)


def asks_for_fixtures(file: LinkedFile, record: FunctionRecord) -> bool:
    """Whether the parameters of a function may be filled by name: it is a test or a fixture."""
    return is_fixture(record) or (record.name.startswith("test") and (is_test(file.path) or not _is_inside_function(file, record)))


def _is_inside_function(file: LinkedFile, record: FunctionRecord) -> bool:
    """Whether a function is made by another one, where no test is looked for."""
    return any(file.facts.scopes[scope].kind is ScopeKind.FUNCTION for scope in file.facts.ancestors(record.scope))


def gives_parameters(decorator: Origin) -> bool:
    """Whether a decorator is the one that gives a test its parameters, by names that are texts."""
    return decorator.sort is OriginSort.CALL and decorator_callee(decorator).name == _TAKES_PARAMETERS


def has_other_name(file: LinkedFile, record: FunctionRecord) -> bool:
    """Whether the decorator of a fixture gives it another name (`fixture(name="hive")`)."""
    before = file.source.text[: record.name_start]
    head = before[before.rfind("@") :]
    return re.search(r"\bname\s*=", head) is not None


def fixture_for(evaluator: Evaluator, file: LinkedFile, name: str) -> tuple[LinkedFile, int] | None:
    """The fixture that a parameter of that name in a file asks for: the file and the function record."""
    paths = [file.path]
    folder = file.path.rpartition("/")[0]
    while True:
        paths.append(f"{folder}/{_SHARED_FILE}".lstrip("/"))
        if not folder:
            break
        folder = folder.rpartition("/")[0]
    for path in paths:
        there = evaluator.linkage.file(path) if path in evaluator.linkage.contents else None
        for index, record in enumerate(there.links.functions if there is not None else ()):
            if there is not None and record.name == name and is_fixture(record):
                return there, index
    return None


def given_by_fixture(evaluator: Evaluator, file: LinkedFile, record: FunctionRecord, name: str) -> Values | None:
    """What a parameter of a test may be that a fixture fills; `None` where it may be filled otherwise.

    All fixtures of that name count, since a class of tests may be run from another file.
    """
    if not asks_for_fixtures(file, record) or not _is_in_reach(evaluator, file, record, name):
        return None
    if not is_fixture(record) and _may_be_called(evaluator, record.name):
        return None
    if evaluator.linkage.paths_mentioning(_FILLING_ALL):
        return None
    given: list[Values] = []
    for there in evaluator.linkage.mentioning(name):
        if _fills_otherwise(evaluator, there, name):
            return None
        for each in there.links.functions:
            if each.name != name or all(evaluator.is_harmless(there, decorator) for decorator in each.decorators):
                continue
            if len(each.decorators) > 1 or evaluator.decorator_name(there, each.decorators[0]) not in _FIXTURES:
                return None
            given.append(evaluator.values(there, _given_by(each)))
    return frozenset().union(*given) if given else None


def _given_by(fixture: FunctionRecord) -> Origin:
    """What a test gets of a fixture: of a generator, what that gives."""
    gives = fixture.gives
    if gives.sort is OriginSort.PROMISE:
        gives = gives.parts[0]
    return gives.parts[0] if gives.sort is OriginSort.SERIES and gives.name == "generator" else gives


def _is_in_reach(evaluator: Evaluator, file: LinkedFile, record: FunctionRecord, name: str) -> bool:
    """Whether a test finds a fixture of the project, and not one of a library."""
    found = fixture_for(evaluator, file, name)
    if found is None:
        return False
    there, index = found
    owner = there.links.functions[index].owner
    return owner < 0 or (there.path == file.path and owner == record.owner)


def _may_be_called(evaluator: Evaluator, name: str) -> bool:
    """Whether a test may be called by somebody other than who runs the tests: its name stands not only behind `def`."""
    elsewhere = re.compile(rf"{name}(?<!\w{name})(?<!def {name})(?!\w)")
    return any(elsewhere.search(file.source.text) for file in evaluator.linkage.mentioning(name))


def _fills_otherwise(evaluator: Evaluator, file: LinkedFile, name: str) -> bool:
    """Whether a text of a file may name a parameter that is to be filled, or another name for a fixture."""
    return any(word in file.data for word in _NAMING_PARAMETERS) and name in _filling_words(evaluator, file.path)


@once_a_version
def _filling_words(evaluator: Evaluator, path: str) -> frozenset[str]:
    """The words of a file's texts, and the names that its fixtures are given by assignments."""
    file = evaluator.file(path)
    texts = " ".join(each.words for each in file.facts.texts if each.use != "documentation")
    return frozenset([*_WORD.findall(texts), *_NAMED_FIXTURE.findall(file.source.text)])


def users_of(
    evaluator: Evaluator, home: LinkedFile, name: str
) -> Iterator[tuple[LinkedFile, FunctionRecord, int]]:
    """The functions that ask for a fixture, each with the binding of the parameter that does."""
    for file in _files_in_reach(evaluator, home, name):
        for record in file.links.functions:
            for parameter in record.parameters:
                if parameter.name == name and asks_for_fixtures(file, record):
                    found = fixture_for(evaluator, file, name)
                    if found is not None and found[0].path == home.path:
                        yield file, record, parameter.binding


def texts_for(evaluator: Evaluator, home: LinkedFile, name: str) -> Iterator[tuple[LinkedFile, int]]:
    """Where texts ask for a fixture: the file and the offset of the name."""
    for file in _files_in_reach(evaluator, home, name):
        for text in file.links.texts:
            if text.callee.name in _TAKES_FIXTURES and text.words == name:
                yield file, text.start + file.source.text[text.start : text.end].index(name)


def parameter_texts(file: LinkedFile, record: FunctionRecord, name: str) -> Iterator[int]:
    """The offsets at which `parametrize` names a parameter of a test."""
    first = _first_decorator(file, record)
    pattern = re.compile(rf"(?<!\w){re.escape(name)}(?!\w)")
    for text in file.links.texts:
        is_above = first <= text.start < record.name_start
        takes_names = text.callee.name == _TAKES_PARAMETERS and (
            text.position == 0 or text.keyword == "argnames"
        )
        if is_above and takes_names:
            for match in pattern.finditer(file.source.text, text.start, text.end):
                yield match.start()


def _first_decorator(file: LinkedFile, record: FunctionRecord) -> int:
    for definition in file.facts.definitions:
        if definition.name_start == record.name_start:
            return definition.start
    return record.name_start


def _files_in_reach(evaluator: Evaluator, home: LinkedFile, name: str) -> Iterator[LinkedFile]:
    """The files whose tests may ask for a fixture: its own, or all below the folder of a shared one."""
    folder, _, own_name = home.path.rpartition("/")
    for file in evaluator.linkage.mentioning(name):
        is_below = not folder or file.path.startswith(f"{folder}/")
        if file.path == home.path or (own_name == _SHARED_FILE and is_below):
            yield file
