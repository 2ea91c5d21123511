"""Names that a function or class might have: from what it returns, changes and calls, from its documentation and its
bases."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence

from zephyrun.facts import ContextSort
from zephyrun.naming.features import RESULTS, Feature
from zephyrun.naming.offers import Derived
from zephyrun.naming.words import is_readable, singular, snake_case, split_name

# How the name of a definition can be derived; the ranking has a weight for each.
DEFINITION_DERIVATIONS = (
    "documented",
    "documented noun",
    "documented question",
    "given",
    "given with a verb",
    "given call",
    "asked",
    "set",
    "called",
    "results",
    "kept verb",
    "described class",
    "based",
)
# Verbs that documentation begins with, and the ones that names have instead.
_VERBS_OF_NAMES = {
    "return": ("get", "compute", "find"),
    "give": ("get",),
    "retrieve": ("get", "fetch"),
    "calculate": ("calculate", "compute"),
    "generate": ("generate", "iter", "make"),
    "yield": ("iter",),
    "determine": ("find", "get"),
    "construct": ("make", "build"),
    "create": ("create", "make"),
    "initialize": ("init",),
    "initialise": ("init",),
}
_ASKING_WORDS = frozenset("whether if true".split())
_LEFT_OUT = frozenset(
    """a an the this that its it all any each every given current new some one of or and is are be whether if
    specified certain following""".split()
)
_ENDS = frozenset(
    """of for from to in into on with as by at if when using and or which that based per via through whose so
    where until while unless after before between it""".split()
)
_GIVEN_VERBS = {
    "value": ("get", "make", "find", "compute", "read"),
    "one by one": ("iter", "find"),
    "nothing": ("set", "update"),
    "yes or no": ("is", "has"),
}
_SET_VERBS = ("set", "update", "reset")
_MOST_NOUN_WORDS = 3
# Where a sentence asks yes or no, one of its first words says so.
_SOON = 4
_MOST_RESULTS = 3
_SHORTEST_WORD = 2


# For a feature, the names of the variables that have it, each with how many there are.
Results = Callable[[Feature], Mapping[str, float]]


def function_names(features: Sequence[Feature], spelling: str, results: Results) -> Iterator[Derived]:
    """Names for a function of these features, some of them more than once."""
    kept = _kept_verb(spelling)
    sort_given = next((each.name for each in features if each.sort == ContextSort.GIVES_A), "")
    for noun, derivation, told in _nouns(features, results):
        if derivation in ("given", "results", "documented noun"):
            yield Derived(noun, derivation, told)
        verbs = _SET_VERBS if derivation == "set" else _GIVEN_VERBS.get(sort_given, ())
        with_a_verb = derivation if derivation in ("set", "results") else "given with a verb"
        for verb in verbs:
            yield Derived(f"{verb}_{noun}", with_a_verb, told)
        if kept:
            yield Derived(f"{kept}_{noun}", "kept verb", told)
    yield from _documented(features)
    for each in features:
        if each.sort == ContextSort.CALLS:
            yield Derived(_leaf(each.name), "called", each.told)
        elif each.sort == ContextSort.GIVES and each.name.endswith("()"):
            yield Derived(_leaf(each.name), "given call", each.told)
        elif each.sort == ContextSort.ASKS:
            noun = _leaf(each.name.rpartition(":")[2])
            for verb in ("is", "has"):
                yield Derived(f"{verb}_{noun}" if noun else "", "asked", each.told)


def class_names(features: Sequence[Feature], spelling: str, results: Results) -> Iterator[Derived]:
    """Names for a class of these features: what its documentation calls it, what its bases are, and what its objects
    are called."""
    words, told = sentence_of(features)
    noun = _noun(words)
    yield from (
        Derived(in_capitals(name), "results", said) for each in features for name, said in _called(each, results)
    )
    bases = [each for each in features if each.sort == ContextSort.EXTENDS]
    if noun:
        yield Derived(in_capitals(noun), "described class", told)
        yield Derived(in_capitals(noun.rpartition("_")[2]), "described class", told)
    for base in bases:
        kind = split_name(base.name)[-1:]
        if kind and noun:
            yield Derived(in_capitals(f"{noun}_{kind[0]}"), "based", told)
        own = [word for word in split_name(spelling) if is_readable(word) and len(word) > _SHORTEST_WORD]
        if kind and own and kind[0] not in own:
            yield Derived(in_capitals("_".join([*own, kind[0]])), "based", base.told)


def _nouns(features: Sequence[Feature], results: Results) -> Iterator[tuple[str, str, str]]:
    """What a function is about: each with how that is known, and what says so."""
    for each in features:
        if each.sort == ContextSort.GIVES and not each.name.endswith("()"):
            yield _leaf(each.name), "given", each.told
        elif each.sort == ContextSort.GIVES and each.name[:1].isupper():
            yield _leaf(each.name), "given", each.told
        elif each.sort == ContextSort.SETS:
            yield _leaf(each.name), "set", each.told
        for name, told in _called(each, results):
            yield name, "results", told
    words, told = sentence_of(features)
    if words:
        verb, rest = _verb_and_rest(words)
        noun = _noun(rest if verb else words)
        if noun and not _ASKING_WORDS & set(words[:_SOON]):
            yield noun, "documented noun", told


def _called(feature: Feature, results: Results) -> Iterator[tuple[str, str]]:
    """What the results of calls are called, the commonest names first, each with how often."""
    if feature.sort == RESULTS:
        found = sorted(results(feature).items(), key=lambda item: (-item[1], item[0]))
        for name, count in found[:_MOST_RESULTS]:
            times = "once" if count == 1 else f"{count:.0f} times"
            yield snake_case(name), f"what it gives is called {name} {times}"


def _documented(features: Sequence[Feature]) -> Iterator[Derived]:
    """What the first sentence of the documentation says."""
    words, told = sentence_of(features)
    if not words:
        return
    asking = next((index for index, word in enumerate(words[:_SOON]) if word in _ASKING_WORDS), -1)
    if asking >= 0:
        yield from (Derived(text, "documented question", told) for text in _questions(words[asking + 1 :]))
        return
    verb, rest = _verb_and_rest(words)
    noun = _noun(rest)
    if not verb:
        return
    for one in (verb, *_VERBS_OF_NAMES.get(verb, ())):
        yield Derived(one, "documented", told)
        if noun:
            yield Derived(f"{one}_{noun}", "documented", told)
            yield Derived(f"{one}_{noun.rpartition('_')[2]}", "documented", told)
            if singular(noun):
                yield Derived(f"{one}_{singular(noun)}", "documented", told)


def _questions(words: Sequence[str]) -> Iterator[str]:
    """`is_full` and `has_queen` from "it is full" and "the hive has a queen"."""
    for index, word in enumerate(words):
        if word in ("is", "are", "has", "have", "can", "should"):
            verb = {"are": "is", "have": "has"}.get(word, word)
            what = _noun([each for each in words[index + 1 :] if each != "not"])
            if what:
                yield f"{verb}_{what}"
                yield f"{verb}_{what.partition('_')[0]}"
            subject = _noun(words[:index])
            if what and subject:
                yield f"{verb}_{subject}_{what}"
            return


def sentence_of(features: Sequence[Feature]) -> tuple[list[str], str]:
    """The words that the documentation of a definition begins with, and how to tell of them."""
    said = [each for each in features if each.sort == ContextSort.SAYS]
    words = [each.name.removeprefix("first ") for each in said]
    return words, f"described as “{' '.join(words)}…”" if words else ""


def _verb_and_rest(words: Sequence[str]) -> tuple[str, Sequence[str]]:
    """The verb that a sentence begins with, as an order, "" where it begins with none, and what follows."""
    first = words[0]
    for verb in (first, first.removesuffix("s"), first.removesuffix("es")):
        if verb in KNOWN_VERBS:
            return verb, words[1:]
    return "", words


def _noun(words: Sequence[str]) -> str:
    """What the words speak of first, as the end of a name; "" where they do not say it shortly."""
    found: list[str] = []
    for word in words:
        if word in _ENDS and found:
            break
        if word not in _LEFT_OUT and len(word) >= _SHORTEST_WORD:
            found.append(word)
        if len(found) > _MOST_NOUN_WORDS:
            return "_".join(found[:2])
    return "_".join(found)


def _kept_verb(spelling: str) -> str:
    """The verb of the old name, where it has one that can be read."""
    words = split_name(spelling)
    return words[0] if len(words) > 1 and words[0] in KNOWN_VERBS else ""


def _leaf(name: str) -> str:
    return snake_case(name.rpartition("@")[2].removesuffix("()").removesuffix("[]"))


def in_capitals(name: str) -> str:
    """A name of small letters as classes are written."""
    return "".join(word[:1].upper() + word[1:] for word in name.split("_"))


# What names of functions begin with, and sentences about them.
KNOWN_VERBS = frozenset(
    """add allow append apply ask assert assign attach begin bind build calculate call cancel change check choose
    clean clear close collect combine compare compile compute configure connect construct convert copy count create
    cut decode define delete describe detach detect determine disable discard disconnect dispatch display download
    draw drop dump emit enable encode ensure enter escape estimate evaluate execute exit expand export extend extract
    fetch fill filter find finish fix flatten flush fold format generate get give group guess handle hash hide
    import include increment infer init initialize initialise insert inspect install invoke issue iter iterate join
    keep lay list load locate lock log look lookup make map mark match measure merge mend modify move normalize
    normalise note notify open order pack parse pass patch perform pick plot pop populate prepare print process
    produce provide publish pull push put query raise read rebuild receive record redirect reduce refresh register
    reject release reload remove rename render repair replace report request reset resolve restore resume retrieve
    return reverse rotate round run sample save scale scan schedule search select send serialize serve set setup
    show shut skip sort split start stop store strip subtract sum swap sync take tell test throw toggle track
    transform translate trim try turn unpack update upload use validate verify visit wait walk warn watch weigh
    wrap write yield""".split()
)
