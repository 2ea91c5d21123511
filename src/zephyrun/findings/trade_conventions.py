"""Where the trade reads short names at sight, by what they stand for and over how many lines."""

from __future__ import annotations

from collections.abc import Sequence

from zephyrun.facts import Context, ContextSort, FileFacts, Role
from zephyrun.findings.formulas import MATHEMATICS, is_mathematics
from zephyrun.naming.letters import VAGUE_WORDS
from zephyrun.naming.words import singular, split_name
from zephyrun.patterns import lazy_pattern

_WRITTEN = frozenset({Role.ASSIGN, Role.AUGMENT, Role.LOOP, Role.EACH})
_INDICES = ("i", "j", "k")
_INDEX_LINES = 40
# These are indices where they run through the places of something.
_MORE_INDICES = ("ii", "jj", *"lmn")
# What is given these is no index.
_NO_INDEX = frozenset({ContextSort.FROM_TEST, ContextSort.ALL_OF})
_YES_OR_NO = frozenset({"=True", "=False"})
# The trade's own short names: in which role each is read at sight, and over how many lines.
_CONVENTIONS: dict[str, tuple[frozenset[Role], int]] = {
    **dict.fromkeys(_INDICES, (_WRITTEN | {Role.PARAMETER}, _INDEX_LINES)),
    "e": (frozenset({Role.CATCH, Role.PARAMETER}), 60),
    **dict.fromkeys(("ex", "exc", "err"), (frozenset({Role.CATCH, Role.ASSIGN, Role.PARAMETER}), 20)),
    **dict.fromkeys(("f", "fp", "fh"), (frozenset({Role.WITH, Role.ASSIGN, Role.LOOP, Role.PARAMETER}), 8)),
    **dict.fromkeys("kv", (frozenset({Role.LOOP, Role.EACH, Role.PARAMETER}), 20)),
    **dict.fromkeys("ab", (frozenset({Role.PARAMETER, Role.LOOP}), 8)),
    **dict.fromkeys(("i1", "i2", "j1", "j2"), (frozenset({Role.LOOP, Role.EACH}), 20)),
    "n": (frozenset({Role.ASSIGN, Role.LOOP, Role.EACH, Role.PARAMETER}), 12),
    "m": (frozenset({Role.ASSIGN, Role.INLINE}), 4),
    "fn": (frozenset({Role.LOOP, Role.ASSIGN, Role.PARAMETER}), 8),
    # What a call returns that says so by number whether it went well.
    "rc": (frozenset({Role.ASSIGN}), 40),
}
# Short names for what certain calls give.
_OF_CALLS = (
    ("m", "match search fullmatch finditer divmod"),
    ("f g", "open fdopen NamedTemporaryFile TemporaryFile StringIO BytesIO"),
    ("st", "stat lstat fstat"),
    ("af sa", "getaddrinfo"),
    ("t t0 t1 t2", "time monotonic perf_counter process_time now utcnow"),
    ("s", "socket create_connection"),
    ("p", "Popen"),
    ("q r d h s", "divmod"),
    ("el p a li ol ul tr td th dl dt dd", "Element SubElement createElement new_tag"),
)
_CALLEES_BY_NAME = {
    name: frozenset(callee for names, callees in _OF_CALLS if name in names.split() for callee in callees.split())
    for name in " ".join(names for names, _ in _OF_CALLS).split()
}
_OF_CALLS_LINES = 60
# A file that is open is `f`, however much is written to it.
_FILE_LINES = 100
_OPENING = lazy_pattern(r"(?:^|_)open|[a-z]File$|_file$")
# And for what is said to be of certain types.
_ERRORS = frozenset({"Exception", "BaseException"})
_OF_TYPES = {
    **dict.fromkeys(("e", "ex", "exc", "err"), _ERRORS),
    "f": frozenset("IO TextIO BinaryIO TextIOBase BufferedReader BufferedWriter RawIOBase TextIOWrapper".split()),
}
_CAUGHT_LINES = 20
# What a text is taken apart into, where it is held against single characters.
_CHARACTER = lazy_pattern(r"""(?:Not)?(?:Eq:=(?:'(?:[^'\\]|\\.)'|"'")|In:=['"])""")
_CHARACTER_LINES = 40
_FORMULA_LINES = 15
_NUMBERS = frozenset({ContextSort.FROM_OPERATOR, ContextSort.FROM_LITERAL})
_TAKEN_OVER = frozenset({ContextSort.FROM_ATTRIBUTE, ContextSort.FROM_KEY, ContextSort.FROM_CALL})
# A key and its value, told by each other.
_PAIR = ("k", "v")
_PARTS = frozenset({ContextSort.PART_OF, ContextSort.ELEMENT_OF, ContextSort.ELEMENT_OF_CALL})
_PAIR_LINES = 30
_PLACES = lazy_pattern(r"\d+/\d+")
# `c0`, `c1` and `c2`, worked out, are numbers of a formula.
_COEFFICIENTS = 3
_NUMBERED_LETTER = lazy_pattern(r"[a-zA-Z]_?\d")
_SUBSCRIPTED = lazy_pattern(r"[a-z](?:_[A-Z])+")
_COORDINATES = frozenset("xyz")
_COORDINATE = lazy_pattern(r"([xyz])_?\d+")
# `ax`, `ay` and `az`, `dx1` beside `dy1`, or `xs` and `ys`: something in each direction.
_DIRECTED = lazy_pattern(r"((?:[a-z]{1,4}_?)?)([xyz])(s?_?\d?)")
_COORDINATE_LINES = 150
# So many letters of the alphabet that are taken out of one thing are its parts, as those of a matrix are.
_LETTERS_OF_PARTS = 3
# And so many numbered ones.
_NUMBERED_PARTS = 4
# So few of a kind are told apart by number; more than these are one more of whatever.
_FEW = 3
_FEW_LINES = 40
# Letters that are told by one another: the parts of a colour, hours and minutes, width and height.
_TOGETHER = ("rgb", "hsv", "hls", "hm", "ms", "wh", "uv")
_TOLD_BY_OTHERS = frozenset("".join(_TOGETHER))
_TOGETHER_LINES = 60
# So many characters of code apart, they stand on the same line or the next.
_NEAR = 100
# How much of something there is in a direction: `n_t, n_w = weights.shape`.
_SHAPE = lazy_pattern(r"shape:")
_SIZE_LETTERS = 3
_NUMBERED = lazy_pattern(r"([a-zA-Z]+)_?(\d+)")
# One of the things called so is told by their name on the line above.
_INITIAL_LINES = 8
_SAID_LINES = 3
_INITIALS_LINES = 10
# Two of a kind that are held against each other.
_COMPARED_LINES = 4
_FROM_CALLS = frozenset({ContextSort.FROM_CALL, ContextSort.ELEMENT_OF_CALL, ContextSort.WITH})
_GIVEN = _FROM_CALLS | {ContextSort.PART_OF}
_FROM = _GIVEN | _TAKEN_OVER | {ContextSort.ELEMENT_OF, ContextSort.ITEM_OF}
_PLACES_IN = lazy_pattern(r":.*")
# So many letters of what was called are more than a chance end of it.
_SHORTEST_END = 3
_LETTERS = 2
_DIGITS = "0123456789_"


def is_conventional(
    facts: FileFacts,
    binding: int,
    name: str,
    roles: frozenset[Role],
    n_lines: int,
    contexts: Sequence[Context] = (),
) -> bool:
    """Whether the trade reads a short name at sight, in these roles, over so many lines, and for what is said of it."""
    if _is_said_by_origin(name, n_lines, contexts) or _is_said_by_others(facts, binding, name, n_lines, contexts):
        return True
    function = facts.definitions_by_inner_scope.get(facts.bindings[binding].scope)
    if _is_symbol_of_mathematics(name) or (Role.PARAMETER in roles and function is not None and function.name == name):
        return True

    if is_coordinate(name):
        beside = (each.strip("_") for each in _names_beside(facts, binding))
        directions = {each[:1] for each in beside if is_coordinate(each)}
        return len(directions) > 1 and n_lines <= _COORDINATE_LINES

    binding_roles = roles - {Role.READ, Role.DELETE, Role.DECLARE}
    if binding_roles == {Role.CATCH} and n_lines <= _CAUGHT_LINES:
        # `except ValueError as ve`: what it is stands on the same line.
        return True
    if name in _INDICES and any(each.sort in _NO_INDEX or each.name in _YES_OR_NO for each in contexts):
        return False
    allowed, most_lines = _CONVENTIONS.get(name, (frozenset(), 0))
    return binding_roles <= allowed and n_lines <= most_lines


def _is_said_by_origin(name: str, n_lines: int, contexts: Sequence[Context]) -> bool:
    """Whether what a name is given, or said to be, tells whoever reads it what the letters stand for."""
    given = {each.name.partition(":")[0].removesuffix("()") for each in contexts if each.sort in _GIVEN}
    types = _OF_TYPES.get(name, frozenset())
    is_of_call = bool(given & _CALLEES_BY_NAME.get(name, frozenset()))
    is_of_type = any(each.sort is ContextSort.ANNOTATED and each.name in types for each in contexts)
    is_file = name == "f" and any(map(_OPENING.search, given))
    if ((is_of_call or is_of_type) and n_lines <= _OF_CALLS_LINES) or (is_file and n_lines <= _FILE_LINES):
        return True

    is_size = any(each.sort is ContextSort.PART_OF and _SHAPE.match(each.name) for each in contexts)
    is_index = name in _MORE_INDICES and n_lines <= _INDEX_LINES and _goes_through_places(contexts)
    return (
        is_index
        or (is_size and len(name) <= _SIZE_LETTERS)
        or _is_taken_over(name, contexts)
        or _is_character(name, n_lines, contexts)
        or _is_of_a_pair(name, n_lines, contexts)
        or (n_lines <= _INITIALS_LINES and _has_initials(name, contexts))
    )


def _is_said_by_others(
    facts: FileFacts, binding: int, name: str, n_lines: int, contexts: Sequence[Context]
) -> bool:
    """Whether the names beside one tell what its letters stand for."""
    return (
        (n_lines <= _FORMULA_LINES and _is_of_a_formula(facts, binding, name, contexts))
        or _is_one_of_several(facts, binding, name, n_lines, contexts)
        or (name in _TOLD_BY_OTHERS and n_lines <= _TOGETHER_LINES and _is_told_by_others(facts, binding, name))
        or _is_directed(facts, binding, name)
    )


def _is_symbol_of_mathematics(name: str) -> bool:
    """Whether a name in a function begins with a capital and is no longer than two letters, or is a letter with such below
    it: a matrix, a number of things."""
    if _SUBSCRIPTED.fullmatch(name):
        return True
    return name[:1].isupper() and name.replace("_", "").isalpha() and len(name.replace("_", "")) <= _LETTERS


def _is_told_by_others(facts: FileFacts, binding: int, name: str) -> bool:
    """Whether a letter comes together with those that tell what it is."""
    here = facts.bindings[binding]
    start = facts.references[here.references[0]].start
    near = {
        each.name
        for each in facts.bindings
        if each.scope == here.scope
        and each.references
        and abs(facts.references[each.references[0]].start - start) <= _NEAR
        and facts.references[each.references[0]].role is facts.references[here.references[0]].role
    }
    return any(name in letters and near >= {*letters} for letters in _TOGETHER)


def _goes_through_places(contexts: Sequence[Context]) -> bool:
    is_counted = any(each.sort is ContextSort.ELEMENT_OF_CALL and each.name.startswith("range:") for each in contexts)
    return is_counted and any(each.sort is ContextSort.INDEX_INTO for each in contexts)


def _is_directed(facts: FileFacts, binding: int, name: str) -> bool:
    """Whether a name stands beside one that differs from it in its direction alone."""
    directed = _DIRECTED.fullmatch(name)
    if directed is None:
        return False
    others = {f"{directed[1]}{each}{directed[3]}" for each in _COORDINATES if each != directed[2]}
    return not others.isdisjoint(_names_beside(facts, binding))


def _is_taken_over(name: str, contexts: Sequence[Context]) -> bool:
    """Whether a name is that of the attribute, key or thing it was taken from, one of its words, or the end of what was
    called (`lex = shlex.shlex(…)`): not its own fault."""
    is_word = len(name) > 1
    return any(
        (each.sort in _TAKEN_OVER and (each.name == name or (is_word and name in split_name(each.name))))
        or (each.sort is ContextSort.FROM_CALL_ON and each.other < 0 and each.name.endswith(f"@{name}"))
        or (each.sort is ContextSort.FROM_CALL_ON and each.other < 0 and is_word and name in split_name(each.name))
        or (each.sort is ContextSort.FROM_CALL and _ends_as(each.name, name))
        for each in contexts
    )


def _ends_as(call: str, name: str) -> bool:
    """Whether what is called is written as a name is, but for capitals, or ends in it."""
    called = call.rpartition(".")[2].lower().strip("_")
    return (len(name) >= _SHORTEST_END and called.endswith(name.lower())) or called == name.rstrip(_DIGITS).lower()


def _is_of_a_pair(name: str, n_lines: int, contexts: Sequence[Context]) -> bool:
    """Whether a name is the `k` or the `v` of two that come together, whatever becomes of it."""
    return (
        name in _PAIR
        and n_lines <= _PAIR_LINES
        and any(each.sort in _PARTS and f"{_PAIR.index(name)}/2" in _PLACES.findall(each.name) for each in contexts)
    )


def _is_one_of_several(
    facts: FileFacts, binding: int, name: str, n_lines: int, contexts: Sequence[Context]
) -> bool:
    """Whether a name is one of the letters (`a, b, c, d`, with a number or not, or `p0` to `p3`) that some thing is taken apart into, or
    one of two parameters (`v1`, `v2`) that are held against each other."""
    letter, number = name[:1], name[1:]
    is_part = any(each.sort is ContextSort.PART_OF for each in contexts)
    if is_part and _is_of_a_series(facts, binding, name):
        return True
    is_compared = bool(number) and n_lines <= _COMPARED_LINES and Role.PARAMETER in facts.roles(binding)
    if (number and not number.isdigit()) or not (is_part or is_compared):
        return False
    beside = _names_beside(facts, binding)
    if is_compared and {f"{letter}1", f"{letter}2"} <= beside:
        return True
    place = ord(letter)
    runs = (range(place - before, place - before + _LETTERS_OF_PARTS) for before in range(_LETTERS_OF_PARTS))
    return is_part and any(all(f"{chr(code)}{number}" in beside for code in run) for run in runs)


def _is_of_a_series(facts: FileFacts, binding: int, name: str) -> bool:
    """Whether a name is one of many that differ in their numbers alone, as the words of a block that is unrolled do."""
    numbered = _NUMBERED.fullmatch(name)
    if numbered is None or numbered[1].lower() in VAGUE_WORDS:
        return False
    beside = [found[1] for each in _names_beside(facts, binding) if (found := _NUMBERED.fullmatch(each)) is not None]
    return beside.count(numbered[1]) >= _NUMBERED_PARTS


def _has_initials(name: str, contexts: Sequence[Context]) -> bool:
    """Whether a name is the initials of what it was made or taken from: `sm = ScaleMonitor()`."""
    return len(name) > 1 and any(
        each.sort in _TAKEN_OVER and "".join(word[0] for word in split_name(each.name.partition(":")[0])) == name
        for each in contexts
    )


def _names_beside(facts: FileFacts, binding: int) -> set[str]:
    scope = facts.bindings[binding].scope
    return {each.name for each in facts.bindings if each.scope == scope}


def _is_character(name: str, n_lines: int, contexts: Sequence[Context]) -> bool:
    return (
        name in ("c", "ch")
        and n_lines <= _CHARACTER_LINES
        and any(each.sort is ContextSort.COMPARED and _CHARACTER.match(each.name) for each in contexts)
    )


def _is_of_a_formula(facts: FileFacts, binding: int, name: str, contexts: Sequence[Context]) -> bool:
    """Whether a letter, with a number or not, is worked out or handed in among the functions of mathematics, or beside
    its like with other numbers."""
    if _NUMBERED_LETTER.fullmatch(name) and any(each.sort is ContextSort.FROM_OPERATOR for each in contexts):
        like = [
            each
            for each in _names_beside(facts, binding)
            if each.startswith(name[:1]) and _NUMBERED_LETTER.fullmatch(each)
        ]
        if len(like) >= _COEFFICIENTS:
            return True
    function = facts.definitions_by_inner_scope.get(facts.bindings[binding].scope)
    if function is None or len(name.rstrip(_DIGITS)) != 1:
        return False
    if not any(map(is_mathematics, function.calls)):
        return False
    made = [each for each in contexts if each.sort in _FROM_CALLS or each.sort in _NUMBERS]
    return bool(made) and all(each.sort in _NUMBERS or each.name in MATHEMATICS for each in made)


def is_coordinate(name: str) -> bool:
    """Whether a name is that of a coordinate: `x`, `y0`."""
    return name in _COORDINATES or _COORDINATE.fullmatch(name) is not None


def _is_one_of(letter: str, said: str) -> bool:
    return singular(said.rpartition("@")[2].strip("_"))[:1] == letter


def is_initial(name: str, n_lines: int, contexts: Sequence[Context]) -> bool:
    """Whether a letter begins the name of the things of which it is one, or a letter or two that of its type, a line
    or so above: `d` of `dirs`, `m: Matrix`."""
    return any(
        (each.sort is ContextSort.ELEMENT_OF and n_lines <= _INITIAL_LINES and _is_one_of(name, each.name))
        or (
            each.sort is ContextSort.ANNOTATED
            and n_lines <= _SAID_LINES
            and len(name) <= _LETTERS
            and each.name.lower().startswith(name)
        )
        for each in contexts
    )


def is_one_of_few(
    facts: FileFacts, binding: int, name: str, n_lines: int, contexts: Sequence[Context]
) -> bool:
    """Whether a name is one of a few that differ in their numbers alone, and begin as what they are taken from, or as
    one of its things: `o1 = opening(hive)` beside `o2`."""
    numbered = _NUMBERED.fullmatch(name)
    if numbered is None or n_lines > _FEW_LINES or numbered[1].lower() in VAGUE_WORDS:
        return False
    beside = [found[1] for each in _names_beside(facts, binding) if (found := _NUMBERED.fullmatch(each)) is not None]
    if not 1 < beside.count(numbered[1]) <= _FEW:
        return False
    if n_lines <= _SAID_LINES or (Role.PARAMETER in facts.roles(binding) and len(numbered[1]) > _LETTERS):
        return True
    given = {word for each in contexts if each.sort in _FROM for word in split_name(_PLACES_IN.sub("", each.name))}
    return any(word.startswith(numbered[1].lower()) for word in given)
