"""Classes that go about as values: whoever has one may make instances in any way."""

from __future__ import annotations

import ast
from collections.abc import Iterable, Iterator

from zephyrun.facts import Role
from zephyrun.languages.python.told_texts import is_told
from zephyrun.link_facts import Handed, OriginSort
from zephyrun.linking.exports import export_ranges
from zephyrun.linking.import_graph import may_be_loaded
from zephyrun.linking.library_bases import LibraryBases
from zephyrun.linking.library_calls import KEPT_UNDER, leaves_class_alone
from zephyrun.linking.linkage import LinkedFile
from zephyrun.linking.origins import origin_of
from zephyrun.linking.remembering import once_a_version
from zephyrun.linking.slot_holders import are_handlers_given_back, are_parts_told
from zephyrun.linking.syntax_trees import syntax_tree
from zephyrun.linking.value_sorts import UNKNOWN_VALUE, ClassKey, Value, ValueSort, may_be_of
from zephyrun.linking.values import Evaluator
from zephyrun.patterns import lazy_pattern

_IS_EXPRESSION_OF_CLASS = lazy_pattern(r"[\w.\s]+|type\s*\(\s*\w+\s*\)")
# What of a class makes instances, or leads back to it.
_GIVES_CLASS_AGAIN = lazy_pattern(r"\.\s*(?:__call__|__mro__|mro)\b")
# What leads from a class to those around it, and to the class of an instance.
_CLOSES = lazy_pattern(r"\s*,?\s*\)")
_LEADING_TO_CLASSES = ("__mro__", "mro", "__base__", "__bases__", "__subclasses__")
_CLASS_OF, _TYPE = "__class__", "type"
# What gives annotations.
_READING_ANNOTATIONS = ("__annotations__", "get_type_hints", "get_annotations", "annotation", "return_annotation", "getfullargspec")
# What is handed classes to hold something against them.
_ONLY_ASKING = frozenset({"isinstance", "issubclass"})
_CLASS_OF_SELF = lazy_pattern(r"\btype\s*\(\s*(?:self|cls)\s*\)")
# Methods that are given the class itself, beside those that are said to be.
_GIVEN_CLASS = frozenset({"__new__", "__init_subclass__", "__class_getitem__"})
_ANY_ERROR = Value(ValueSort.PLAIN, name="BaseException")
# What is given the classes of exceptions.
_GIVEN_ERRORS = ("exc_info", "excepthook", "__exit__", "__aexit__")
# What stands before a class that is caught, and before one that is a value rather than a type.
_CATCHES = lazy_pattern(r"\bexcept\s*\(?[\w.,\s]*\Z")
_GIVES_VALUE = lazy_pattern(r"=\s*[\w.\[({,\s]*\Z")
_CLOSES_KEY = lazy_pattern(r"\s*\]")
_ENDS_IN_CALL = lazy_pattern(r"[)\]](?:\s*\.\s*\w+)?\Z")
_LONGEST_NAME = 100
# Where classes are compared with each other, each shows as one.
_CLASS_LIKE = lazy_pattern(
    r"\btype\s*\([^()]*(?:\([^()]*\))?[^()]*\)|\b__class__\b|(?<![\w.])[A-Z]\w*(?!\s*\()"
    r"|\b(?:int|str|float|bool|bytes|dict|list|set|tuple)\b"
)
_N_COMPARED = 2
_WORD_CLASS = lazy_pattern(r"\bclass\b")
# In the head of a class: behind a keyword, which is handed to what makes the class, and in brackets behind a base.
_KEYWORD_OF_CLASS = lazy_pattern(r"[(,]\s*(?!metaclass\b)\w+\s*=[^=]*\Z")
_IN_BRACKETS = lazy_pattern(r"\[[^\]]*\Z")
_IN_LAMBDA = lazy_pattern(r"\blambda\b")
# A class is compared with what stands behind it, or before.
_COMPARED_BEHIND = lazy_pattern(r"\s*(?:is\b|[=!]=|(?:not\s+)?in\b)")
_COMPARED_BEFORE = lazy_pattern(r"(?:\bis|\bis\s+not|[=!]=)\s*[\w.]*\Z")


@once_a_version
def is_class_of_instance_kept(evaluator: Evaluator, key: ClassKey) -> bool:
    """Whether the class of an instance (`type(hive)`), which may be this one or one below it, goes about as a value."""
    if _is_type_handed_on(evaluator):
        return True
    relatives = evaluator.relatives(key)
    for file in evaluator.linkage.mentioning_any((_TYPE, _CLASS_OF)):
        ends = [(use.end, use.receiver) for use in file.links.attributes_by_name.get(_CLASS_OF, ())]
        ends += [
            (closing.end(), handed.value)
            for handed in file.links.handed
            if handed.callee.name == _TYPE and handed.position == 0 and (closing := _CLOSES.match(file.source.text, handed.end)) is not None
        ]
        for end, instance in ends:
            is_ours = may_be_of(evaluator.values(file, instance), relatives)
            if is_ours and end not in file.links.called and _keeps_class(evaluator, file, end):
                return True
    return False


@once_a_version
def is_class_kept(evaluator: Evaluator, key: ClassKey) -> bool:
    """Whether a class, or one below it, is handed to something that is not known to leave it alone, or may be found by
    another way than its name."""
    family = [key, *evaluator.below(key)]
    for each in family:
        there = evaluator.file(each[0])
        decorators = evaluator.class_record(each).decorators
        if not all(evaluator.is_harmless(there, decorator) for decorator in decorators):
            return True
    if any(map(evaluator.has_own_metaclass, evaluator.above(key))):
        return True
    is_error = LibraryBases(evaluator, [key]).have_instance(_ANY_ERROR)
    if is_error and any(map(evaluator.linkage.paths_mentioning, _GIVEN_ERRORS)):
        return True
    names = {evaluator.class_record(each).name for each in family}
    return (
        any(map(evaluator.linkage.stands_alone_in_examples, names))
        or any(
            _is_kept_in(evaluator, other, name) or _is_named_by_text(other, name, are_annotations_read=_are_annotations_read(evaluator))
            for name in names
            for other in evaluator.linkage.mentioning(name)
        )
        or any(_is_looked_up(evaluator, *each) for each in family)
        or _is_led_to(evaluator, key)
        or is_class_of_instance_kept(evaluator, key)
        or any(_is_given_on(evaluator, each) for each in evaluator.relatives(key))
    )


@once_a_version
def _is_type_handed_on(evaluator: Evaluator) -> bool:
    """Whether `type` itself goes to something that may ask it for the class of whatever there is (`map(type, hives)`)."""
    for file in evaluator.linkage.mentioning(_TYPE):
        for _, start in file.builtins_kept((_TYPE,)):
            end = start + len(_TYPE)
            handed = file.all_handed_by_end.get(end, ())
            if any(each.callee.name not in _ONLY_ASKING for each in handed) or (not handed and _keeps_class(evaluator, file, end)):
                return True
    return False


def _is_kept_in(evaluator: Evaluator, file: LinkedFile, name: str) -> bool:
    """Whether a class goes about in a file as a value."""
    if any(use.name == name and use.has_alias for use in file.links.imports):
        return True
    ends = {use.end for use in file.links.attributes_by_name.get(name, ())}
    for binding in file.facts.bindings:
        if binding.name == name:
            ends.update(_ends_of_reads(file, binding.references))
    return any(_keeps_class(evaluator, file, end) for end in ends - file.links.called)


def _ends_of_reads(file: LinkedFile, references: Iterable[int]) -> Iterator[int]:
    for index in references:
        if file.facts.references[index].role is Role.READ:
            yield file.facts.references[index].end


def _keeps_class(evaluator: Evaluator, file: LinkedFile, end: int) -> bool:
    """Whether a class that ends at an offset is more than looked into, inherited from, caught, compared, or said to be
    the type of something."""
    text = file.source.text
    if text[end : end + 1] == ".":
        return _GIVES_CLASS_AGAIN.match(text, end) is not None
    if handed := file.all_handed_by_end.get(end):
        return not all(
            _IS_EXPRESSION_OF_CLASS.fullmatch(text, each.start, end) is not None and _leaves_alone(evaluator, file, each)
            for each in handed
        )
    statement = file.facts.statements[file.facts.statement_at(end - 1)]
    before = text[statement.start : end]
    if statement.sort == "classdef":
        *_, head = _WORD_CLASS.split(before)
        is_decorating = head == before
        is_asked = _IN_BRACKETS.search(head) is not None and bool(evaluator.linkage.paths_mentioning("__class_getitem__"))
        return is_decorating or is_asked or _KEYWORD_OF_CLASS.search(head) is not None
    if compared := _COMPARED_BEHIND.match(text, end) or _COMPARED_BEFORE.search(before):
        return _may_be_kept_by_comparison(evaluator, compared[0].strip(), text[statement.start : statement.end])
    if _CATCHES.search(before) or _is_sought_in_table(evaluator, file, end):
        return False
    is_typed = statement.sort in ("functiondef", "asyncfunctiondef", "annassign")
    if is_typed:
        before = text[statement.start : _start_of_expression(file, end)]
    is_value = not is_typed or _GIVES_VALUE.search(before) is not None or _IN_LAMBDA.search(before) is not None
    return is_value or _are_annotations_read(evaluator)


@once_a_version
def _are_annotations_read(evaluator: Evaluator) -> bool:
    """Whether something in the project asks for what annotations say."""
    return any(map(evaluator.linkage.paths_mentioning, _READING_ANNOTATIONS))


def _is_looked_up(evaluator: Evaluator, path: str, number: int) -> bool:
    """Whether a class may be found among the names of a module: some are gone through, or looked up by names that are worked
    out."""
    name = evaluator.class_record((path, number)).name
    if not evaluator.file(path).is_own:
        return False
    about = evaluator.modules_about
    is_loaded = bool(evaluator.linkage.all_loading_paths) and may_be_loaded(evaluator, path, name)
    if any(file.may_bind(name) for file in filter(None, map(evaluator.linkage.file, about.paths_listed))):
        return True
    for there in evaluator.linkage.lookup_paths:
        file = evaluator.linkage.file(there)
        for lookup in file.links.lookups if file is not None else ():
            assert file is not None, "it has calls"
            if not lookup.may_find(name):
                continue
            values = evaluator.values(file, lookup.receiver)
            if UNKNOWN_VALUE in values and about.may_be(path, lookup.receiver, is_loaded=is_loaded):
                return True
            homes = (evaluator.linkage.file(value.path) for value in values if value.sort is ValueSort.MODULE)
            if any(home.may_bind(name) for home in homes if home is not None):
                return True
    return False


def _is_sought_in_table(evaluator: Evaluator, file: LinkedFile, end: int) -> bool:
    """Whether a class that ends at an offset is the key by which something is taken out of a dictionary (`WAYS[type(hive)]`)."""
    if _CLOSES_KEY.match(file.source.text, end) is None:
        return False
    tree = syntax_tree(file.data)
    key = _expression_before(file, end) or next((each for each in tree.names.values() if tree.end_of(each) == end), None)
    match tree.around[key] if key is not None else None:
        case ast.Subscript(value=ast.Name() | ast.Attribute() as table, slice=index, ctx=ast.Load()) if index is key:
            values = evaluator.values(file, origin_of(file, table))
            return all(value.sort is ValueSort.MAPPING for value in values)
    return False


def _start_of_expression(file: LinkedFile, end: int) -> int:
    """Where the call begins that ends at an offset, or the attribute of what is no name, else that offset."""
    if _ENDS_IN_CALL.search(file.source.text, max(end - _LONGEST_NAME, 0), end) is None:
        return end
    node = _expression_before(file, end)
    return syntax_tree(file.data).start_of(node) if node is not None else end


def _expression_before(file: LinkedFile, end: int) -> ast.expr | None:
    """The attribute or call that ends at an offset."""
    tree = syntax_tree(file.data)
    calls = (each for each in tree.around if isinstance(each, ast.Call) and tree.end_of(each) == end)
    return tree.attributes.get(end) or next(calls, None)


def _may_be_kept_by_comparison(evaluator: Evaluator, operator: str, statement: str) -> bool:
    """Whether a method of the project's own may be given a class that is compared, or sought in something."""
    if operator.endswith("in") and evaluator.linkage.paths_mentioning("__contains__"):
        return True
    # What is sought is held against each element.
    is_equality = operator.startswith(("==", "!=")) or operator.endswith("in")
    others = _CLASS_LIKE.findall(statement)
    return is_equality and len(others) < _N_COMPARED and bool(evaluator.linkage.paths_mentioning("__eq__"))


def _leaves_alone(evaluator: Evaluator, file: LinkedFile, handed: Handed) -> bool:
    """Whether what a class is handed to gives it to nobody."""
    if handed.callee.name == "__new__" and handed.position == 0:
        # It makes an instance.
        return True
    return all(
        value.sort is ValueSort.FOREIGN
        and leaves_class_alone(value.name, handed)
        and not are_parts_told(evaluator, KEPT_UNDER.get(value.name, ()))
        and (value.name != "signal.signal" or not are_handlers_given_back(evaluator))
        for value in evaluator.values(file, handed.callee)
    )


def _is_named_by_text(file: LinkedFile, name: str, *, are_annotations_read: bool) -> bool:
    """Whether a text of a file is the name of a class, or ends with it behind a dot, so that it may be looked up."""
    listed = export_ranges(file)
    return any(
        text.words.replace(":", ".").rpartition(".")[2] == name
        and text.use not in ("documentation", *(() if are_annotations_read else ("annotation",)))
        and not is_told(file.facts, text)
        and not any(first <= text.start < last for first, last in listed)
        for text in file.facts.texts
    )


def _is_led_to(evaluator: Evaluator, key: ClassKey) -> bool:
    """Whether code that has a class above or below may get to it."""
    family = {*evaluator.relatives(key), *evaluator.above(key)}
    if len(family) == 1 and not evaluator.linkage.paths_mentioning("__subclasses__"):
        return False
    for word in _LEADING_TO_CLASSES:
        for file in evaluator.linkage.mentioning(word):
            for use in file.links.attributes_by_name.get(word, ()):
                values = evaluator.values(file, use.receiver)
                is_ours = any((value.path, value.number) in family for value in values if value.sort is ValueSort.CLASS)
                if is_ours or UNKNOWN_VALUE in values or any(value.name == "builtins.object" for value in values):
                    return True
    return False


def _is_given_on(evaluator: Evaluator, key: ClassKey) -> bool:
    """Whether a class hands on itself, or what is below it."""
    file = evaluator.file(key[0])
    if not file.is_own:
        return False
    found = _CLASS_OF_SELF.finditer(file.source.text)
    ends = {match.end() for match in found if file.facts.is_code(match.start())}
    for use in file.links.attributes_by_name.get(_CLASS_OF, ()):
        if use.receiver.sort is OriginSort.NAME:
            ends.add(use.end)
    for record in file.links.functions:
        is_given = record.name in _GIVEN_CLASS or any(each.name == "classmethod" for each in record.decorators)
        if record.owner == key[1] and is_given and record.parameters:
            ends.update(_ends_of_reads(file, file.facts.bindings[record.parameters[0].binding].references))
    return any(
        file.source.text[end : end + 1] != "(" and _keeps_class(evaluator, file, end) for end in ends - file.links.called
    )
