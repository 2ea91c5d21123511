"""`cryptic-name`: names that say too little for how long, and how often, a reader must remember what they stand for."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence, Set
from itertools import pairwise
from math import log2
from string import digits
from typing import NamedTuple

from zephyrun.facts import ContextSort, Definition, Role, ScopeKind
from zephyrun.findings.about_names import (
    about_attribute,
    about_definition,
    about_variable,
    is_free_parameter,
    lines_of,
    owes_its_name,
    span,
    spelling_of,
)
from zephyrun.findings.finding import FileView, Finding
from zephyrun.findings.short_names import Shortness, shortness_of
from zephyrun.findings.trade_conventions import is_conventional, is_coordinate, is_initial, is_one_of_few
from zephyrun.languages.python.contexts import AttributeContexts
from zephyrun.naming.features import is_variable
from zephyrun.naming.letters import FILLERS, VAGUE_VERBS, VAGUE_WORDS, is_short, words_of
from zephyrun.naming.questions import ANY_NAME, LOWEST_SCORE, Wanted, group_of
from zephyrun.naming.short_forms import READ_AT_SIGHT, TRADE_MEANINGS
from zephyrun.naming.trade_words import is_of_the_trade
from zephyrun.naming.words import has_vowel
from zephyrun.patterns import lazy_pattern
from zephyrun.proof.normal_form import is_local_variable

_QUOTED = lazy_pattern(r""""[^"\n]*"|'[^'\n]*'""")
_WORDS = lazy_pattern(r"\w+")
# Inside a comprehension on a few lines even a letter is read together with what it means.
_COMPREHENSION_LINES = 6
# Up to so many lines, a reader has a name before his eyes together with what it stands for.
_SHORT_SPAN = 6
_AT_A_GLANCE = 3
_LETTERS = 2
_BESIDE_ITS_VALUE = 2
_LONG_SPAN = 15
# Several names that say nothing, in one function, cannot be told apart however short it is.
_CROWD = 2
_THRONG = 3
# In a file with so many names that say nothing, and hardly any others, a reader has nothing to hold on to.
_MANY = 8
_MOST = 0.6
_MOST_OF_LETTERS = 0.7
# Words that say of a function only that it does something, in names that are nothing else.
_TELLING_NOTHING = frozenset({*VAGUE_VERBS, *VAGUE_WORDS, *FILLERS, "calc", "calculate", "compute", "check", "get", "set", "work"})
_SURELY = 0.8
_VERY_LIKELY = 0.55
_LIKELY = 0.5
_FAIRLY_LIKELY = 0.4
# What is met all over a file costs more than a local.
_WEIGHT_OF_A_DEFINITION = 3.0
_WEIGHT_OF_AN_ATTRIBUTE = 2.0
_BEGINNINGS = frozenset({Role.LOOP, Role.CATCH, Role.WITH})
_MADE = frozenset(
    {
        ContextSort.FROM_CALL,
        ContextSort.FROM_ATTRIBUTE,
        ContextSort.FROM_KEY,
        ContextSort.FROM_VARIABLE,
        ContextSort.FROM_OPERATOR,
        ContextSort.FROM_TEST,
        ContextSort.FROM_LITERAL,
        ContextSort.ITEM_OF,
        ContextSort.PART_OF,
    }
)


class _Judged(NamedTuple):
    binding: int
    shortness: Shortness
    weight: float
    n_lines: int
    is_seen_at_a_glance: bool
    is_one_letter: bool
    is_of_a_block: bool
    is_rare: bool
    is_one_of_few: bool
    is_of_the_trade: bool

    @property
    def is_over_at_once(self) -> bool:
        """Whether it is a letter whose last use comes right below the line that says what it is."""
        return self.is_of_a_block and self.is_one_letter and self.n_lines <= _AT_A_GLANCE


def find_cryptic_names(view: FileView) -> Iterator[Finding]:
    """Judge every variable and parameter of the file, and functions, classes and attributes that owe their names to
    nobody else."""
    judged = _judged_variables(view)
    definitions = [each for each in view.facts.definitions if not owes_its_name(view, each)]
    hard_definitions = [each for each in definitions if _says_too_little(view, each.name)]
    attributes = [(number, each) for number, each in enumerate(view.contexts.attributes) if _is_free_attribute(view, each)]
    hard_attributes = [(number, each) for number, each in attributes if _says_too_little(view, each.name) and not is_coordinate(each.name.strip("_"))]
    others = {each.name for each in definitions} | {each.name for _, each in attributes}
    hard = {each.name for each in hard_definitions} | {each.name for _, each in hard_attributes}
    in_the_dark = _names_in_the_dark(view, hard | {view.facts.bindings[each.binding].name for each in judged}, others)
    yield from _variables(view, judged, in_the_dark)
    for definition in hard_definitions:
        yield from _definition(view, definition, in_the_dark)
    for number, attribute in hard_attributes:
        yield _attribute(view, number, attribute, in_the_dark)


def _names_in_the_dark(view: FileView, hard: Set[str], others: Set[str]) -> Set[str]:
    """Those of the hard names of a file beside which hardly any others stand, though it does not reckon, where letters are usual,
    nor speak of something that has such terms. `others` are what its functions, classes and attributes are called."""
    alone = {name for name in hard if len(words_of(name)) == 1}
    n_of_letters = sum(len(name.strip("_")) == 1 or name[-1].isdigit() for name in alone)
    if len(alone) < _MANY or n_of_letters > _MOST_OF_LETTERS * len(alone):
        return frozenset()
    variables = {each.name for binding, each in enumerate(view.facts.bindings) if _is_asked(view, binding)}
    return alone if len(alone) >= _MOST * len(hard | others | variables) else frozenset()


def _says_too_little(view: FileView, name: str) -> bool:
    """Whether the name of a function, class or attribute does."""
    if not _is_hard_to_read(view, name):
        return False
    return shortness_of(name.strip("_"), view.words_with_terms) not in (None, Shortness.TRADE_FORM)


def _is_hard_to_read(view: FileView, name: str) -> bool:
    # The cheap question first: most names are fine, and terms are looked for in the whole file.
    name = name.strip("_")
    return view.words.crypticness(name) > 0 and view.words_with_terms.crypticness(name) > 0


# -- variables and parameters ------------------------------------------------------------------


def _judged_variables(view: FileView) -> list[_Judged]:
    return [
        each
        for binding, record in enumerate(view.facts.bindings)
        if _is_hard_to_read(view, record.name)
        and _is_asked(view, binding)
        and (each := _judge(view, binding)) is not None
    ]


def _variables(view: FileView, judged: Sequence[_Judged], in_the_dark: Set[str]) -> Iterator[Finding]:
    facts = view.facts
    crowds = Counter(group_of(facts, view.path, each.binding) for each in judged)
    dark_groups = _groups_in_the_dark(view, crowds)
    for each in judged:
        group, name = group_of(facts, view.path, each.binding), facts.bindings[each.binding].name
        is_wide = not is_local_variable(facts, each.binding)
        if group in dark_groups:
            wanted: Wanted | None = ANY_NAME
        elif name in in_the_dark and not each.is_over_at_once and each.shortness not in (Shortness.TERM, Shortness.GLUED):
            # Of what callers hand over, letters tell too little.
            wanted = Wanted(only_said=is_wide)
        else:
            wanted = _wanted_for_others(each) if is_wide else _wanted(each, crowds[group])
        if wanted is not None:
            wanted = wanted._replace(short_words=_short_words(view, name))
            message = _message(spelling_of(view, each.binding), each.n_lines, len(facts.bindings[each.binding].references))
            yield about_variable(view, each.binding, "cryptic-name", message, each.weight, wanted)


def _groups_in_the_dark(view: FileView, crowds: Mapping[str, int]) -> set[str]:
    """The functions in which nothing says what is going on: neither their own names, nor most of those in them."""
    throngs = {group for group, count in crowds.items() if count >= _THRONG}
    if not throngs:
        return set()
    facts = view.facts
    sizes = Counter(
        group
        for binding in range(len(facts.bindings))
        if is_variable(facts, binding) and (group := group_of(facts, view.path, binding)) in throngs
    )
    found = set()
    for definition in facts.definitions:
        if definition.sort is not ScopeKind.FUNCTION or facts.scopes[definition.scope].kind is ScopeKind.CLASS:
            # What a method does its class says, too.
            continue
        says_nothing = set(words_of(definition.name)) <= _TELLING_NOTHING or len(definition.name.strip("_")) == 1
        group = f"{view.path} {definition.inner_scope}"
        if says_nothing and group in throngs and 2 * crowds[group] >= sizes[group]:
            found.add(group)
    return found


def _is_asked(view: FileView, binding: int) -> bool:
    """Whether a binding is a variable that could have another name."""
    facts = view.facts
    record = facts.bindings[binding]
    if record.outside or not is_variable(facts, binding):
        return False
    if is_local_variable(facts, binding) or is_free_parameter(view, binding):
        return True
    kind = facts.scopes[record.scope].kind
    # Constants of one letter are mathematics, or stand for types.
    is_constant = record.name.isupper()
    if kind is ScopeKind.CLASS:
        return not is_constant and record.scope in view.contexts.classes_by_themselves
    return kind is ScopeKind.MODULE and not is_constant


def _wanted(judged: _Judged, n_in_crowd: int) -> Wanted | None:
    """What better name the old one must have for being worth a word; `None` where none would do."""
    is_short, is_long = judged.n_lines <= _SHORT_SPAN, judged.n_lines >= _LONG_SPAN
    is_short_form = judged.shortness in (Shortness.LETTER, Shortness.SKELETON, Shortness.STUMP) and not judged.is_one_letter
    if is_short_form and judged.n_lines <= _AT_A_GLANCE and not judged.is_rare:
        # Before a reader has to remember what it is short for, it is over.
        return Wanted(_LIKELY, only_said=judged.is_of_the_trade)
    if judged.is_one_of_few:
        return Wanted(_FAIRLY_LIKELY, only_said=True)
    if judged.shortness in (Shortness.STAND_IN, Shortness.SKELETON, Shortness.STUMP):
        return ANY_NAME
    if judged.shortness is Shortness.GLUED:
        return Wanted(_LIKELY, only_said=True)
    if judged.shortness in (Shortness.COMPOUND, Shortness.TERM):
        # The whole word carries the other one: only one that is said nearby, and that is surely better, is worth a word.
        return Wanted(_SURELY, only_said=True, unless_short=judged.shortness is Shortness.COMPOUND)
    if judged.is_seen_at_a_glance and n_in_crowd < _THRONG:
        # What a loop goes through, and what is opened, stands on the line above.
        return None if judged.is_of_a_block and judged.is_one_letter else Wanted(_VERY_LIKELY, only_said=True)
    if judged.is_over_at_once:
        return Wanted(_LIKELY, only_said=True)
    if is_long:
        return ANY_NAME
    if judged.is_one_letter and is_short and n_in_crowd < _THRONG:
        # What a reader sees at a glance is worth a word only where the code beside it says a better one.
        return Wanted(_FAIRLY_LIKELY, only_said=True)
    if n_in_crowd >= _CROWD or not judged.is_one_letter:
        is_alone = judged.is_one_letter and n_in_crowd < _THRONG
        return Wanted(LOWEST_SCORE if is_short or is_alone else 0.0)
    return Wanted(_FAIRLY_LIKELY)


def _wanted_for_others(judged: _Judged) -> Wanted:
    """The same for a name by which others may know the thing: a parameter, or a variable of a module or class."""
    # Who calls a function reads what it is given, too: only what is surely better is worth a word.
    is_plain = judged.shortness in (Shortness.STAND_IN, Shortness.SKELETON)
    return Wanted(_VERY_LIKELY if is_plain else _SURELY, only_said=True, in_its_letters=True)


def _judge(view: FileView, binding: int) -> _Judged | None:
    """What is wrong with a name, and what it costs a reader; `None` where it is fine."""
    facts = view.facts
    record = facts.bindings[binding]
    name = record.name.strip("_")
    roles = facts.roles(binding)
    is_mangled = record.name != spelling_of(view, binding)
    if not name or is_mangled or Role.IMPORT in roles or roles == {Role.READ}:
        return None
    n_lines = _longest_life(view, binding)
    is_in_comprehension = facts.scopes[record.scope].kind is ScopeKind.COMPREHENSION
    if is_in_comprehension and n_lines <= _COMPREHENSION_LINES:
        return None
    contexts = view.contexts.by_binding.get(binding, ())
    if is_conventional(facts, binding, name, roles, n_lines, contexts) or view.formulas.is_symbol(binding):
        return None
    if len(name) > 1 and (_is_said_in_quotes(view, binding, name) or (name.isupper() and "_" in name)):
        # What a text asks for by that name, and constants of a function.
        return None
    shortness = shortness_of(name, view.words_with_terms)
    if shortness in (None, Shortness.TRADE_FORM):
        return None
    shortness = _as_a_term(view, name, shortness)
    weight = view.words_with_terms.crypticness(name) * (log2(1 + n_lines) + log2(1 + len(record.references)) / 2)
    glance = _AT_A_GLANCE if len(name) == 1 else _BESIDE_ITS_VALUE
    is_seen_at_a_glance = shortness is Shortness.LETTER and (n_lines <= glance or is_initial(name, n_lines, contexts))
    is_of_a_block = bool(roles & {Role.LOOP, Role.WITH})
    is_unspeakable = shortness is Shortness.SKELETON and not has_vowel(name.lower())
    is_rare = is_unspeakable or bool(_rare_words(view, name))
    few = is_one_of_few(facts, binding, name, n_lines, contexts)
    of_trade = bool(words_of(name)) and all(word in TRADE_MEANINGS for word in words_of(name) if is_short(word))
    return _Judged(binding, shortness, weight, n_lines, is_seen_at_a_glance, len(name) == 1, is_of_a_block, is_rare, few, of_trade)


def _rare_words(view: FileView, name: str) -> list[str]:
    """The words of a name that nobody knows, here or elsewhere."""
    unknown = view.words_with_terms.unknown(name)
    return [word for word in unknown if len(word) > _LETTERS and not (is_of_the_trade(word) or word in READ_AT_SIGHT)]


def _is_said_in_quotes(view: FileView, binding: int, name: str) -> bool:
    """Whether a name is that of what a text asks for on the line where it is first given something: `tid = row.read("tid")`."""
    text = view.source.text
    first = view.facts.references[view.facts.bindings[binding].references[0]]
    line = text[first.end : text.find("\n", first.end)]
    if not {'"', "'"} & set(line) or name.lower() not in line.lower():
        # The cheap question first.
        return False
    quoted = "\n".join(_QUOTED.findall(line)).lower()
    return name.lower() in _WORDS.findall(quoted)


def _as_a_term(view: FileView, name: str, shortness: Shortness) -> Shortness:
    """Words that cannot be read stand for something that a file is about where they are in several of its names (`lat_min`,
    `lat_max`), and so does what is numbered beside its like."""
    unknown = view.words_with_terms.unknown(name)
    if shortness is Shortness.STAND_IN:
        stem = name.rstrip(digits).strip("_")
        # `tmp1` and `tmp2` are two of whatever.
        is_term = len(stem) > _LETTERS and stem.lower() not in VAGUE_WORDS and len(view.numbered_names[stem]) > 1
        return Shortness.TERM if is_term else shortness
    is_of_several_words = len(words_of(name)) > 1
    hard = [word for word in unknown if len(word) > 1 and word not in READ_AT_SIGHT]
    if is_of_several_words and shortness in (Shortness.SKELETON, Shortness.COMPOUND) and len(hard) <= 1:
        if any(len(view.names_by_word[word]) > 1 for word in hard):
            # What cannot even be said is one only where it is short for nothing else here.
            is_bones = all(len(word) > _LETTERS and not has_vowel(word) for word in hard)
            return Shortness.COMPOUND if is_bones else Shortness.TERM
    return shortness


def _longest_life(view: FileView, binding: int) -> int:
    """Over how many lines a reader carries a name at most: each loop, handler and `with` gives it another meaning."""
    references = [view.facts.references[index] for index in view.facts.bindings[binding].references]
    lines = [view.source.line_of(each.start) for each in references]
    begins = [0, *(number for number, each in enumerate(references) if number and each.role in _BEGINNINGS)]
    return max(lines[end - 1] - lines[begin] + 1 for begin, end in pairwise([*begins, len(lines)]))


# -- functions, classes and attributes -----------------------------------------------------------


def _definition(view: FileView, definition: Definition, in_the_dark: Set[str]) -> Iterator[Finding]:
    name = definition.name.strip("_")
    shortness = shortness_of(name, view.words_with_terms)
    facts = view.facts
    reference = facts.reference_by_start.get(definition.name_start)
    if reference is None:
        return
    first, last = lines_of(view, reference.binding)
    is_inside = facts.scopes[definition.scope].kind is ScopeKind.FUNCTION
    if is_inside and last - first < _LONG_SPAN:
        return
    n_uses = len(facts.bindings[reference.binding].references)
    is_class = definition.sort is ScopeKind.CLASS
    what = "is" if is_class else "does"
    message = f"`{definition.name}` hardly says what it {what}, to whoever meets it anywhere."
    weight = view.words_with_terms.crypticness(name) * (_WEIGHT_OF_A_DEFINITION + log2(1 + n_uses))
    least_score = _LIKELY if is_class or shortness is Shortness.COMPOUND else LOWEST_SCORE
    wanted = Wanted(least_score, only_said=True, short_words=_short_words(view, definition.name))
    wanted = ANY_NAME if definition.name in in_the_dark else wanted
    yield about_definition(view, definition, "cryptic-name", message, weight, wanted)


def _is_free_attribute(view: FileView, attribute: AttributeContexts) -> bool:
    """Whether an attribute that methods set on their own objects may owe its name to nobody else, and something is known of it."""
    is_own = attribute.class_scope in view.contexts.classes_by_themselves or attribute.name.startswith("_")
    return is_own and not attribute.name.startswith("__") and any(each.sort in _MADE for each in attribute.contexts)


def _attribute(view: FileView, number: int, attribute: AttributeContexts, in_the_dark: Set[str]) -> Finding:
    name = attribute.name.strip("_")
    shortness = shortness_of(name, view.words_with_terms)
    message = f"`{attribute.name}` hardly says what it holds, over {span(*_reach(view, attribute.starts))}."
    weight = view.words_with_terms.crypticness(name) * (_WEIGHT_OF_AN_ATTRIBUTE + log2(1 + len(attribute.starts)))
    is_plain = shortness in (Shortness.STAND_IN, Shortness.SKELETON)
    wanted = Wanted(LOWEST_SCORE if is_plain else _LIKELY, only_said=True, short_words=_short_words(view, attribute.name))
    return about_attribute(view, number, attribute, "cryptic-name", message, weight, ANY_NAME if attribute.name in in_the_dark else wanted)


def _short_words(view: FileView, name: str) -> tuple[str, ...]:
    """The words of a name that may be the project's own."""
    words = view.words_with_terms.unknown(name)
    return tuple(words) if all(len(word) > 1 for word in words) else ()


def _reach(view: FileView, starts: tuple[int, ...]) -> tuple[int, int]:
    return view.source.line_of(starts[-1]) - view.source.line_of(starts[0]) + 1, len(starts)


def _message(spelling: str, n_lines: int, n_uses: int) -> str:
    said = "says nothing about" if len(spelling.strip("_")) == 1 else "hardly says"
    return f"`{spelling}` {said} what it holds, over {span(n_lines, n_uses)}."
