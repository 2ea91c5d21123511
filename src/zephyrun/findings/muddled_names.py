"""`muddled-names`: two variables of one function that a reader takes for each other, one idea under two names, and one name
for two things."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator
from itertools import chain, combinations
from math import log2

from zephyrun.findings.about_names import about_variable, lines_of, spelling_of
from zephyrun.findings.finding import FileView, Finding
from zephyrun.findings.second_meanings import find_second_meanings
from zephyrun.findings.short_names import Shortness, shortness_of
from zephyrun.languages.python.reserved import RESERVED
from zephyrun.naming.features import is_variable
from zephyrun.naming.questions import Suggestion, Wanted, group_of
from zephyrun.naming.short_forms import TRADE_MEANINGS
from zephyrun.naming.words import SHORT_WORDS, is_readable, plural, singular

# Signs that many typefaces hardly tell apart.
_ALIKE = str.maketrans({"l": "1", "I": "1", "O": "0", "o": "0"})
_SHORTEST_WORD = 4
_MOST_ALIKE = 2
_MUDDLE = 0.7
_WORD_TO_AVOID = 1.4
_SETTLED_SCORE = 0.99
# What a function returns is called its return, its result or its return value.
_SHORT_FOR_SEVERAL = frozenset({"ret", "rel", "ref"})
_SURELY = 0.5


def find_muddled_names(view: FileView) -> Iterator[Finding]:
    """Of each variable, the first thing that is found: a second meaning, a word to avoid, one cut short, one like another's."""
    ways = (find_second_meanings(view), _find_words_to_avoid(view), _find_twins(view), _find_pairs(view))
    told: set[tuple[str, str, int]] = set()
    for finding in chain(*ways):
        address = finding.scope, finding.subject, finding.ordinal
        if address not in told:
            told.add(address)
            yield finding


def _find_pairs(view: FileView) -> Iterator[Finding]:
    """Judge every pair of variables of each function; the later one of a pair is what is found."""
    facts = view.facts
    to_name = set(view.variables_to_name)
    by_group: defaultdict[str, list[int]] = defaultdict(list)
    for binding, record in enumerate(facts.bindings):
        if record.scope and is_variable(facts, binding):
            by_group[group_of(facts, view.path, binding)].append(binding)
    found: set[int] = set()
    for bindings in by_group.values():
        names = {each: facts.bindings[each].name for each in bindings}
        pairs = [
            (one, other)
            for one, other in combinations(bindings, 2)
            # The cheap question first: pairs are many, and most are not alike at all.
            if abs(len(names[one]) - len(names[other])) <= 1 and _are_muddled(names[one], names[other])
        ]
        systems = _systems(pairs)
        for one, other in pairs:
            if len(systems[one]) > _MOST_ALIKE:
                # Names by one rule, which its readers know: `n_iix`, `n_ixi`, `n_xii`.
                continue
            earlier, later = sorted((one, other), key=lambda each: facts.bindings[each].references[0])
            target = later if later in to_name else earlier
            if target in found or target not in to_name:
                continue
            found.add(target)
            yield _finding(view, target, later if target == earlier else earlier)


def _systems(pairs: Iterable[tuple[int, int]]) -> dict[int, frozenset[int]]:
    """Each variable with all that are alike to it, be it by way of others."""
    together: dict[int, frozenset[int]] = {}
    for one, other in pairs:
        both = together.get(one, frozenset({one})) | together.get(other, frozenset({other}))
        together.update(dict.fromkeys(both, both))
    return together


def _find_words_to_avoid(view: FileView) -> Iterator[Finding]:
    """Words for which the team has another."""
    if not view.words.instead:
        return
    for binding in view.variables_to_name:
        spelling = spelling_of(view, binding)
        if not (better := view.words.preferred(spelling)):
            continue
        message = f"`{spelling}` is written with a word that the settings replace: `{better}`."
        owner = view.facts.owner(view.facts.bindings[binding].scope)
        is_free = better not in view.names_mentioned(owner) and better not in RESERVED
        suggestion = Suggestion(better, _SETTLED_SCORE, ("the settings say so",))
        suggestions = (suggestion,) if is_free else ()
        yield about_variable(view, binding, "muddled-names", message, _WORD_TO_AVOID, suggestions=suggestions)


def _find_twins(view: FileView) -> Iterator[Finding]:
    """Names with a word cut short that, written out, may be what the project calls such things elsewhere: `obj_store`
    beside many an `object_store`. Whether they are is asked when all of the project is known."""
    for binding in view.variables_to_name:
        spelling = spelling_of(view, binding)
        words = spelling.split("_")
        whole = [word if word in _SHORT_FOR_SEVERAL else TRADE_MEANINGS.get(word, word) for word in words]
        cut = [place for place, word in enumerate(words) if word != whole[place]]
        one_by_one = ([*words[:place], whole[place], *words[place + 1 :]] for place in cut)
        twins = tuple(dict.fromkeys("_".join(each) for each in (*one_by_one, whole) if each != words))
        is_read_at_sight = shortness_of(spelling.strip("_"), view.words) in (None, Shortness.TRADE_FORM)
        if len(words) > 1 and twins and is_read_at_sight:
            message = f"`{spelling}` is cut short, and the project writes such names out."
            first, last = lines_of(view, binding)
            weight = _MUDDLE * (1 + log2(2 + last - first))
            yield about_variable(view, binding, "muddled-names", message, weight, Wanted(_SURELY, twins=twins))


def _finding(view: FileView, binding: int, other: int) -> Finding:
    first, last = lines_of(view, binding)
    (line, _) = lines_of(view, other)
    spelling, beside = spelling_of(view, binding), spelling_of(view, other)
    message = f"`{spelling}` is easily taken for `{beside}` of line {line}, in the same function."
    return about_variable(view, binding, "muddled-names", message, _MUDDLE * (2 + log2(2 + last - first)))


def _are_muddled(one: str, other: str) -> bool:
    if one == other or one.strip("_") == other.strip("_"):
        return False
    if len(one) == len(other) and one.translate(_ALIKE) == other.translate(_ALIKE):
        return True
    shorter, longer = sorted((one, other), key=len)
    bare = [name.rstrip("0123456789") for name in (longer, shorter)]
    if len(shorter) < _SHORTEST_WORD or bare[0] in (plural(bare[1]), singular(bare[1])):
        # `codons2` are many, and each is a `codon2`.
        return False
    if len(one) == len(other):
        return _are_turned_round(one, other)
    return len(longer) == len(shorter) + 1 and _has_one_more_inside(shorter, longer)


def _are_turned_round(one: str, other: str) -> bool:
    """Whether two letters that stand beside each other have changed places: `form` and `from`."""
    apart = [index for index in range(len(one)) if one[index] != other[index]]
    return (
        len(apart) == len(one[:2])
        and apart[1] == apart[0] + 1
        and one[apart[0]] == other[apart[1]]
        and one[apart[1]] == other[apart[0]]
        # Capitals may be initials, which one tells apart.
        and one[apart[0]].islower()
        and one[apart[1]].islower()
    )


def _has_one_more_inside(shorter: str, longer: str) -> bool:
    """Whether one letter more stands inside: neither in front nor behind, where it makes another word."""
    extra = next((index for index, letter in enumerate(shorter) if letter != longer[index]), len(shorter))
    if not 0 < extra < len(shorter) or shorter == longer[1:] or shorter[extra:] != longer[extra + 1 :]:
        return False
    words = [name[name.rfind("_", 0, extra) + 1 :].partition("_")[0].rstrip("0123456789") for name in (shorter, longer)]
    are_words = not SHORT_WORDS.isdisjoint((words[0], singular(words[0]))) and is_readable(words[1])
    if len(words[0]) < _SHORTEST_WORD or are_words or words[0] == words[1][1:]:
        # Short ones are read letter by letter (`t_layer`, `td_layer`), and words as what they are (`quit`, `quiet`).
        return False
    ends_a_word = longer[extra + 1] == "_" or longer[extra + 1].isupper()
    return longer[extra].islower() and not (longer[extra] == "s" and ends_a_word)
