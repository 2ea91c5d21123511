"""Names that classes and their instances get by other ways than a statement: from a call that makes a class, from code in
its body that puts them among its variables, or from a table of names."""

from __future__ import annotations

import ast
from collections.abc import Iterator

from zephyrun.facts import ScopeKind, Text
from zephyrun.link_facts import Handed, OriginSort
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
# Methods of texts that are handed what stands between the parts of one.
_CUTTING = frozenset("replace split rsplit strip lstrip rstrip partition rpartition".split())
_OWN_VARIABLES = frozenset({"locals()", "vars()"})


def doubt_names_given(evaluator: Evaluator, usage: Usage, name: str) -> None:
    """Doubts about classes that get names which are worked out, where a text near by may become the name."""
    for path in evaluator.linkage.naming_paths:
        file = evaluator.linkage.file(path)
        for start, is_near in _places(evaluator, file) if file is not None else ():
            assert file is not None, "it has places"
            around = file.facts.outermost_function(start) if is_near else None
            texts = file.facts.texts if around is None else file.facts.texts_between(around.start, around.end)
            if any(_is_part(text, name) for text in texts):
                usage.doubt(f"no class in {path} gets `{name}` by a name that is worked out", path, start)


def _is_part(text: Text, name: str) -> bool:
    """Whether a name may be made of a text; one at which other texts are cut up, or which stands for such a one, is no part."""
    is_between = text.use == "argument" and text.beside in _CUTTING
    return text.use != "documentation" and not is_between and is_part_of_name(text.words, name)


def _places(evaluator: Evaluator, file: LinkedFile) -> Iterator[tuple[int, bool]]:
    """Where a class is made by a call, or its table of names or the variables of its body are asked for, and whether the
    names come from near by."""
    for use in file.links.attributes_by_name.get(_TABLE, ()):
        if _SETS_WORKED_OUT.match(file.source.text, use.end) is not None and not evaluator.replaced_modules.is_some_module(file, use.receiver):
            yield use.start, True
    for handed in file.links.handed:
        brings_names = handed.position > _N_OF_BASES or handed.keyword == _SPREAD_OUT
        # The cheap question first: to find out what is called takes long.
        is_making = brings_names and handed.callee.name in _CALLED_SO
        if (
            is_making
            and any(evaluator.library_name(each) in _MAKING for each in evaluator.values(file, handed.callee))
            and not _is_written_out(evaluator, file, handed)
        ):
            # A table that is not written there may come from anywhere in the file.
            yield handed.start, file.source.text.startswith("{", handed.start)
    for exposure in file.facts.exposures:
        if exposure.what in _OWN_VARIABLES and file.facts.scopes[exposure.scope].kind is ScopeKind.CLASS:
            yield exposure.start, True


def _is_written_out(evaluator: Evaluator, file: LinkedFile, handed: Handed) -> bool:
    """Whether the names that a call brings all stand there, as keys of a table or as keywords."""
    match ast.parse(f"({file.source.text[handed.start : handed.end]}\n)", mode="eval").body:
        case ast.Dict(keys=keys):
            return all(isinstance(each, ast.Constant) for each in keys)
        case ast.Call(args=[], keywords=keywords):
            called = evaluator.values(file, handed.value.parts[0]) if handed.value.sort is OriginSort.CALL else ()
            is_table = set(map(evaluator.library_name, called)) == {"builtins.dict"}
            return is_table and all(each.arg is not None for each in keywords)
    return False
