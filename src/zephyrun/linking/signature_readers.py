"""Who reads the signatures of functions: calls that are handed one, under whatever name, and readers that go on as values,
so that nobody knows of what they read it."""

from __future__ import annotations

import ast
from collections.abc import Iterable, Iterator
from typing import NamedTuple

from zephyrun.facts import Role, ScopeKind
from zephyrun.languages.python.reserved import BUILTINS
from zephyrun.link_facts import Handed, Origin, OriginSort, Use
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.remembering import once_a_version
from zephyrun.linking.signature_reads import SIGNATURE_READERS, is_perhaps_looked_up
from zephyrun.linking.syntax_trees import syntax_tree
from zephyrun.linking.value_sorts import ValueSort, Values
from zephyrun.linking.values import Evaluator
from zephyrun.linking.whereabouts import GIVING_ATTRIBUTE

# What shows a signature to people, under names that are common words. Source: library reference.
_SHOWING = frozenset({"builtins.help", "pydoc.help", "pydoc.doc", "pydoc.render_doc"})
_WORDS_SHOWING = ("help", "doc", "render_doc")
_FROM = ("inspect", "typing", "annotationlib", "pydoc")
_READERS = _SHOWING.union(f"{module}.{word}" for module in _FROM for word in SIGNATURE_READERS)
# What is sought where it is a value; a builtin is none behind a dot.
_SOUGHT = (*SIGNATURE_READERS, "render_doc", "help")
_READING_NAMESPACE = frozenset({"vars", "dir", "getmembers"})


class ReaderCall(NamedTuple):
    """A call that hands something to a reader of signatures, which the library calls by a `word`; "" for one that shows all
    of it."""

    path: str
    handed: Handed
    word: str


@once_a_version
def calls_of_signature_readers(evaluator: Evaluator) -> tuple[ReaderCall, ...]:
    """The calls that read the signature of what they are handed, in the order of their files."""
    linkage = evaluator.linkage
    found = [
        ReaderCall(file.path, handed, word)
        for word in SIGNATURE_READERS
        for file in linkage.mentioning(word)
        for handed in _handed_to(file, word)
        if not _is_own(evaluator, file, handed.callee)
    ]
    found += [
        ReaderCall(file.path, handed, word)
        for name, word in _names_given(evaluator).items()
        for file in linkage.mentioning(name)
        for handed in file.links.handed
        if handed.callee.name == name
    ]
    found += [
        ReaderCall(file.path, handed, "")
        for word in _WORDS_SHOWING
        for file in linkage.mentioning(word)
        for handed in _handed_to(file, word)
        if _are_any(evaluator, evaluator.values(file, handed.callee), _SHOWING)
    ]
    return tuple(sorted(set(found), key=lambda each: (each.path, each.handed.start, each.word)))


@once_a_version
def readers_going_on(evaluator: Evaluator) -> tuple[tuple[str, int], ...]:
    """Where a reader of signatures is a value that somebody else may call: the paths and offsets."""
    found: set[tuple[str, int]] = set()
    for word in _SOUGHT:
        for file in evaluator.linkage.mentioning(word):
            given = {start for name, start in _given_in(file, _kept(evaluator, file, word)) if name in _names_given(evaluator)}
            found.update((file.path, start) for start in _going_on(evaluator, file, word) if start not in given)
    for module in _FROM:
        for file in evaluator.linkage.mentioning(module):
            found.update((file.path, start) for start in _looked_up(evaluator, file, module))
    return tuple(sorted(found))


@once_a_version
def _names_given(evaluator: Evaluator) -> dict[str, str]:
    """The names of variables of modules that are readers (`told = inspect.signature`) and are only called: each with that of
    the reader."""
    return {
        name: word
        for word in SIGNATURE_READERS
        for file in evaluator.linkage.mentioning(word)
        for name, _ in _given_in(file, _kept(evaluator, file, word))
        if _is_only_called(evaluator, name) and not is_perhaps_looked_up(evaluator, file, name, is_member=False)
    }


def _given_in(file: LinkedFile, starts: Iterable[int]) -> Iterator[tuple[str, int]]:
    """The variables of a module that are given what stands at some offsets, and nothing else in the same statement."""
    for start in starts:
        tree = syntax_tree(file.data)
        named = tree.names.get(start) or next((each for end, each in tree.attributes.items() if end - len(each.attr) == start), None)
        around = tree.around[named] if named is not None else None
        match around:
            case ast.Assign(targets=[ast.Name(id=name) as target], value=value) if value is named:
                reference = file.facts.reference_by_start.get(tree.start_of(target))
                if reference is not None and file.facts.bindings[reference.binding].scope == 0:
                    yield name, start


def _is_only_called(evaluator: Evaluator, name: str) -> bool:
    """Whether nothing is done with what bears a name anywhere but to call it, or to import it under that name."""
    return not any(
        file.has_as_value(name) or any(use.name == name and use.has_alias for use in file.links.imports)
        for file in evaluator.linkage.mentioning(name)
    )


def _handed_to(file: LinkedFile, word: str) -> Iterator[Handed]:
    aliases = _aliases(file, word)
    for handed in file.links.handed:
        callee = handed.callee
        if callee.name == word or (callee.sort is OriginSort.NAME and callee.binding in aliases):
            yield handed


def _aliases(file: LinkedFile, word: str) -> set[int]:
    """The bindings of a file that import something of that name under another one."""
    return {use.binding for use in file.links.imports if use.name == word and use.has_alias and not use.module.startswith(".")}


def _going_on(evaluator: Evaluator, file: LinkedFile, word: str) -> Iterator[int]:
    yield from _kept(evaluator, file, word)
    facts = file.facts
    for number in _aliases(file, word):
        if _is_seen_elsewhere(evaluator, file, number):
            yield facts.references[facts.bindings[number].references[0]].start
    for text in file.links.texts:
        if text.words == word and text.callee.name in GIVING_ATTRIBUTE and text.arguments:
            values = evaluator.values(file, text.arguments[0])
            if any(_is_module(values, module) for module in _FROM):
                yield text.start


def _kept(evaluator: Evaluator, file: LinkedFile, word: str) -> Iterator[int]:
    """Where a reader is named in a file and not called."""
    facts, called = file.facts, file.links.called
    aliases = _aliases(file, word)
    for number, binding in enumerate(facts.bindings):
        if number not in aliases and binding.name != word:
            continue
        references = [facts.references[index] for index in binding.references]
        kept = [each.start for each in references if each.role is Role.READ and each.end not in called]
        if kept and _are_readers(evaluator, file, Origin(OriginSort.NAME, binding.name, number)):
            yield from kept
    for use in file.links.attributes_by_name.get(word, ()) if word not in BUILTINS else ():
        if use.use is Use.READ and use.end not in called:
            if _are_readers(evaluator, file, Origin(OriginSort.ATTRIBUTE, word, -1, (use.receiver,))):
                yield use.start


def _is_seen_elsewhere(evaluator: Evaluator, file: LinkedFile, binding: int) -> bool:
    """Whether the name that a file gives a reader may be read by others."""
    record = file.facts.bindings[binding]
    kind = file.facts.scopes[record.scope].kind
    if kind is not ScopeKind.MODULE:
        return kind is ScopeKind.CLASS
    others = (other for other in evaluator.linkage.mentioning(record.name) if other.path != file.path)
    return evaluator.linkage.stands_in_quotes(record.name) or any(
        other.links.attributes_by_name.get(record.name)
        or any(use.name in (record.name, "*") for use in other.links.imports)
        for other in others
    )


def _looked_up(evaluator: Evaluator, file: LinkedFile, module: str) -> Iterator[int]:
    """Where a file may take a reader out of its module by a name that it works out, or takes all of that."""
    for lookup in file.links.lookups:
        if any(map(lookup.may_find, SIGNATURE_READERS)) and _is_module(evaluator.values(file, lookup.receiver), module):
            yield lookup.start
    for handed in file.links.handed:
        if handed.callee.name in _READING_NAMESPACE and _is_module(evaluator.values(file, handed.value), module):
            yield handed.start
    for use in file.links.attributes_by_name.get("__dict__", ()):
        if _is_module(evaluator.values(file, use.receiver), module):
            yield use.start


def _is_module(values: Values, name: str) -> bool:
    return any(value.name == name and value.sort in (ValueSort.FOREIGN, ValueSort.MODULE, ValueSort.PACKAGE) for value in values)


def _are_readers(evaluator: Evaluator, file: LinkedFile, origin: Origin) -> bool:
    return _are_any(evaluator, evaluator.values(file, origin), _READERS)


def _are_any(evaluator: Evaluator, values: Values, names: frozenset[str]) -> bool:
    return any(evaluator.library_name(value) in names for value in values)


def _is_own(evaluator: Evaluator, file: LinkedFile, callee: Origin) -> bool:
    """Whether what is called is surely the project's own, whatever it is called."""
    values = evaluator.values(file, callee)
    return bool(values) and all(
        value.sort in (ValueSort.FUNCTION, ValueSort.CLASS) and evaluator.file(value.path).is_own for value in values
    )
