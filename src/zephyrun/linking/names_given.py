"""Names that classes and their instances get by other ways than a statement: from a call that makes a class, from code in
its body that puts them among its variables, or from a table of names."""

from __future__ import annotations

from collections.abc import Iterator

from zephyrun.facts import ScopeKind
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.texts import PUTS_UNDER_NAME, is_part_of_name
from zephyrun.linking.usage import Usage
from zephyrun.linking.values import Evaluator
from zephyrun.patterns import lazy_pattern

_MAKING = frozenset({"builtins.type", "types.new_class"})
_CALLED_SO = frozenset(name.rpartition(".")[2] for name in _MAKING)
# Which argument of such a call brings the names; where several are spread out, any may.
_N_OF_BASES = 1
_SPREAD_OUT = "*"
_TABLE = "__dict__"
_SETS_WORKED_OUT = lazy_pattern(PUTS_UNDER_NAME)
_OWN_VARIABLES = frozenset({"locals()", "vars()"})


def doubt_names_given(evaluator: Evaluator, usage: Usage, name: str) -> None:
    """Doubts about classes that get names which are worked out, where a text near by may become the name."""
    for path in evaluator.linkage.naming_paths:
        file = evaluator.linkage.file(path)
        for start, is_near in _places(evaluator, file) if file is not None else ():
            assert file is not None, "it has places"
            around = file.facts.outermost_function(start) if is_near else None
            texts = file.facts.texts if around is None else file.facts.texts_between(around.start, around.end)
            if any(text.use != "documentation" and is_part_of_name(text.words, name) for text in texts):
                usage.doubt(f"no class in {path} gets `{name}` by a name that is worked out", path, start)


def _places(evaluator: Evaluator, file: LinkedFile) -> Iterator[tuple[int, bool]]:
    """Where a class is made by a call, or its table of names or the variables of its body are asked for, and whether the
    names come from near by."""
    for use in file.links.attributes_by_name.get(_TABLE, ()):
        if _SETS_WORKED_OUT.match(file.source.text, use.end) is not None:
            yield use.start, True
    for handed in file.links.handed:
        brings_names = handed.position > _N_OF_BASES or handed.keyword == _SPREAD_OUT
        # The cheap question first: to find out what is called takes long.
        is_making = brings_names and handed.callee.name in _CALLED_SO
        if is_making and any(evaluator.library_name(each) in _MAKING for each in evaluator.values(file, handed.callee)):
            # A table that is not written there may come from anywhere in the file.
            yield handed.start, file.source.text.startswith("{", handed.start)
    for exposure in file.facts.exposures:
        if exposure.what in _OWN_VARIABLES and file.facts.scopes[exposure.scope].kind is ScopeKind.CLASS:
            yield exposure.start, True
