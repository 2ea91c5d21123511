"""Sites: the places where the language lets one choose whether to leave a space.

Most are told apart by a look at their brackets (an `=` in a call is not the one of an assignment);
`Edge` places need not even that, and are counted at the speed of a search.
"""

from __future__ import annotations

import keyword
import re
from collections.abc import Callable, Iterator, Mapping
from typing import NamedTuple

from zephyrun.patterns import lazy_pattern

TIGHT, AFTER, BEFORE, SPACED = "tight", "after", "before", "spaced"
BRACKET_PLACES = ("round-brackets", "square-brackets", "curly-brackets")
_SIDES = (TIGHT, AFTER, BEFORE, SPACED)

BLANKS = " \t\f"
_LINE_BOUNDS = "\\\r\n#"
# Without groups each choice begins with a fixed character, which makes a search fast.
_TOKEN = lazy_pattern(
    r"\(|\[|\{|\)|\]|\}|:=|:|==|=|!=|<<=|<<|<=|<|>>=|>>|>=|>|->|-=|-|\+=|\+|\*\*=|\*\*|\*=|\*"
    r"|//=|//|/=|/|%=|%|@=|@|&=|&|\|=|\||\^=|\^|~|lambda"
)
_LINE_BREAK = lazy_pattern(r"[\r\n]")
_CONTINUED = lazy_pattern(r"\\[\r\n]+\Z")
_LONGEST_CONTINUATION = 3
_BLANK_RUN = lazy_pattern(r"[ \t\f]*")
_FIRST_WORD = lazy_pattern(r"[ \t\f]*(\w+)")
# The bracket behind the name of what is defined.
_DEFINED = (
    lazy_pattern(r"def(?<!\wdef)[ \t]+\w+[ \t]*(?=[(\[])"),
    lazy_pattern(r"class(?<!\wclass)[ \t]+\w+[ \t]*(?=\[)"),
    lazy_pattern(r"type(?<!\wtype)[ \t]+\w+[ \t]*(?=\[)"),
)
_LAST_WORD = lazy_pattern(r"\w+\Z")
_LONGEST_KEYWORD = max(map(len, keyword.kwlist))
_OPERATORS = {
    **dict.fromkeys("+-", "sum"),
    **dict.fromkeys(("*", "/", "//", "%", "@"), "product"),
    "**": "power",
    **dict.fromkeys(("&", "|", "^", "<<", ">>"), "bits"),
}
_CAN_BE_SIGNS = frozenset({"+", "-", "*", "**", "~", "@"})
_SIGNS = frozenset("+-~")
_BLOCK_WORDS = frozenset(
    "if elif else for while try except finally with def class async match case".split()
)
_BEFORE_AN_OPERAND = frozenset(keyword.kwlist) - {"None", "True", "False"}
_SOFT_KEYWORDS = frozenset(keyword.softkwlist)
# What may stand left of an operator that takes two operands.
_EXPONENT = lazy_pattern(r"(?<![\w.])(?:\d[\d_]*\.?[\d_]*|\.\d[\d_]*)[eE]\Z")
_LONGEST_NUMBER = 40
_ENDS_OPERAND = lazy_pattern(r"[\w)\]}\"']")


class Site(NamedTuple):
    """A token whose spaces could be otherwise: `side` says where there are some."""

    place: str
    side: str
    start: int
    end: int


class Bracket(NamedTuple):
    """A pair of brackets: the offset of each, and how many pairs lie around it."""

    start: int
    end: int
    depth: int


class Edge(NamedTuple):
    """Places that show by themselves, by their tokens. `usual` finds the sites where nothing is to be
    seen but `usual_side`, `others` those that are otherwise."""

    places: Mapping[str, str]
    usual_side: str
    usual: re.Pattern[str]
    others: tuple[tuple[str, re.Pattern[str]], ...]


_OPENING = dict(zip("([{", BRACKET_PLACES, strict=True))
_CLOSING = dict(zip(")]}", BRACKET_PLACES, strict=True))
# Each pattern begins with what it looks for, and looks back afterwards: that makes a search fast.
EDGES = (
    Edge(
        {",": "comma"},
        AFTER,
        lazy_pattern(r",(?<=\S,)(?=[ \t]+[^\s#\\)\]}])"),
        (
            (TIGHT, lazy_pattern(r",(?<=\S,)(?=[^\s)\]}#\\])")),
            (SPACED, lazy_pattern(r",(?<=[ \t],)(?=[ \t]+[^\s#\\)\]}])")),
            (BEFORE, lazy_pattern(r",(?<=[ \t],)(?=[^ \t])")),
        ),
    ),
    Edge(
        _OPENING,
        TIGHT,
        lazy_pattern(r"[(\[{](?=[^\s#\\)\]}])"),
        ((AFTER, lazy_pattern(r"[(\[{](?=[ \t]+[^\s#\\)\]}])")),),
    ),
    Edge(
        _CLOSING,
        TIGHT,
        lazy_pattern(r"[)\]}](?<=[^\s,(\[{].)"),
        ((BEFORE, lazy_pattern(r"[)\]}](?<=[ \t].)")),),
    ),
    Edge(
        dict.fromkeys("([", "call"),
        TIGHT,
        lazy_pattern(r"[(\[](?<=[\w)\]\"].)"),
        ((BEFORE, lazy_pattern(r"[(\[](?<=[ \t].)")),),
    ),
)


def edge_sites(skeleton: str, edge: Edge, side: str) -> Iterator[Site]:
    """The sites of an edge's places that are on one side."""
    pattern = edge.usual if side == edge.usual_side else dict(edge.others)[side]
    looks_before = side in (BEFORE, SPACED)
    for match in pattern.finditer(skeleton):
        start = match.start()
        place = edge.places[skeleton[start]]
        if not looks_before or _follows_code(skeleton, start, place):
            yield Site(place, side, start, start + 1)


def _follows_code(skeleton: str, start: int, place: str) -> bool:
    """Whether the space before a token parts it from what belongs to it."""
    end = start
    while end and skeleton[end - 1] in " \t":
        end -= 1
    before = skeleton[end - 1 : end]
    if place != "call":
        return bool(before) and before not in "\r\n\f,([{"
    if before in (")", "]"):
        return True
    word = _LAST_WORD.search(skeleton[max(end - _LONGEST_KEYWORD - 1, 0) : end])
    if word is None:
        return False
    return word.group() not in _BEFORE_AN_OPERAND and word.group() not in _SOFT_KEYWORDS


class _Level:
    """What is known about the inside of one bracket, or of the code outside all brackets."""

    __slots__ = ("colon", "is_definition", "mark", "n_lambdas", "start")

    def __init__(self, mark: str, start: int, *, is_definition: bool) -> None:
        self.mark = mark
        self.start = start
        self.is_definition = is_definition
        self.n_lambdas = 0
        # Where an annotation was begun last.
        self.colon = -1


class TokenReader:
    """Goes over the tokens of a skeleton whose brackets must be known. Afterwards `sites` holds the
    sites, `brackets` the pairs by their ends, and `block_colons` the colons that open blocks."""

    def __init__(self, skeleton: str) -> None:
        self.sites: list[Site] = []
        self.brackets: list[Bracket] = []
        self.block_colons: list[int] = []
        self._skeleton = skeleton
        self._length = len(skeleton)
        self._base = _Level("", 0, is_definition=False)
        self._levels: list[_Level] = []
        self._has_returns = "\r" in skeleton

    def read(self) -> None:
        """Read the whole skeleton."""
        levels, brackets = self._levels, self.brackets
        handlers = self._handlers()
        defined = {
            match.end() for pattern in _DEFINED for match in pattern.finditer(self._skeleton)
        }
        for match in _TOKEN.finditer(self._skeleton):
            token = match.group()
            # Brackets are most of all tokens, so they are dealt with here.
            if token in "([{":
                start = match.start()
                levels.append(_Level(token, start, is_definition=start in defined))
            elif token in ")]}":
                if levels:
                    level = levels.pop()
                    end = match.start()
                    brackets.append(Bracket(level.start, end, len(levels)))
                    if level.is_definition and token == "]":
                        # The parameters stand behind the type parameters.
                        defined.add(end + 1)
            else:
                handlers[token](match.start(), token)

    def _handlers(self) -> dict[str, Callable[[int, str], None]]:
        relations = ("==", "!=", "<", ">", "<=", ">=")
        augmented = ("+=", "-=", "*=", "/=", "//=", "%=", "@=", "&=", "|=", "^=", ">>=", "<<=", "**=")
        return {
            "=": self._equals,
            ":": self._colon,
            "lambda": self._lambda,
            "->": self._arrow,
            **dict.fromkeys((*_OPERATORS, "~"), self._operator),
            **dict.fromkeys(relations, self._relation),
            **dict.fromkeys((*augmented, ":="), self._assignment),
        }

    def _note(self, place: str, start: int, end: int) -> None:
        """Note the site of a token that stands between two others, unless a line ends beside it."""
        skeleton = self._skeleton
        if end >= self._length or not start:
            return
        before, after = skeleton[start - 1], skeleton[end]
        side = 0
        if before in BLANKS:
            if start < 2 or (skeleton[start - 2] in " \t\f\r\n" and self._begins_line(start)):
                return
            side = 2
        elif before in "\r\n":
            return
        if after in BLANKS:
            following = skeleton[end + 1] if end + 1 < self._length else "\n"
            if following in _LINE_BOUNDS or (following in BLANKS and self._ends_line(end)):
                return
            side += 1
        elif after in _LINE_BOUNDS:
            return
        self.sites.append(Site(place, _SIDES[side], start, end))

    def _begins_line(self, offset: int) -> bool:
        return not self._before(offset)

    def _ends_line(self, offset: int) -> bool:
        end = self._next_token(offset)
        return end >= self._length or self._skeleton[end] in _LINE_BOUNDS

    def _next_token(self, offset: int) -> int:
        match = _BLANK_RUN.match(self._skeleton, offset)
        assert match is not None, "an empty run matches as well"
        return match.end()

    def _before(self, offset: int) -> str:
        """The character before a token on its line, spaces left out; "" at the beginning of one."""
        skeleton, index = self._skeleton, offset - 1
        while index >= 0 and skeleton[index] in BLANKS:
            index -= 1
        return skeleton[index] if index >= 0 and skeleton[index] not in "\r\n" else ""

    def _row_start(self, offset: int) -> int:
        """Where the row begins in which a token outside all brackets stands."""
        skeleton = self._skeleton
        while True:
            start = skeleton.rfind("\n", 0, offset) + 1
            if self._has_returns:
                start = max(start, skeleton.rfind("\r", 0, offset) + 1)
            around = self._outer_bracket_at(start)
            if around is not None:
                offset = around.start
            elif _CONTINUED.search(skeleton[max(start - _LONGEST_CONTINUATION, 0) : start]):
                offset = start - 1
            else:
                return start

    def _outer_bracket_at(self, offset: int) -> Bracket | None:
        """The last pair outside all others, where it reaches over an offset."""
        for bracket in reversed(self.brackets):
            if bracket.end < offset:
                return None
            if not bracket.depth and bracket.start < offset:
                return bracket
        return None

    # -- tokens ------------------------------------------------------------------------------

    def _lambda(self, start: int, token: str) -> None:
        skeleton, end = self._skeleton, start + len(token)
        is_word = end < self._length and not (skeleton[end].isalnum() or skeleton[end] == "_")
        if is_word and not (start and (skeleton[start - 1].isalnum() or skeleton[start - 1] in "_.")):
            (self._levels[-1] if self._levels else self._base).n_lambdas += 1

    def _equals(self, start: int, _: str) -> None:
        level = self._levels[-1] if self._levels else self._base
        if not level.mark and not level.n_lambdas:
            place = "assignment"
        elif level.n_lambdas:
            place = "default"
        elif level.is_definition:
            place = "annotated-default" if self._is_annotated(level, start) else "default"
        else:
            place = "keyword"
        self._note(place, start, start + 1)

    def _is_annotated(self, level: _Level, start: int) -> bool:
        if level.colon < 0:
            return False
        depth = 0
        for character in self._skeleton[level.colon : start]:
            depth += (character in "([{") - (character in ")]}")
            if character == "," and not depth:
                return False
        return True

    def _colon(self, start: int, _: str) -> None:
        level = self._levels[-1] if self._levels else self._base
        if level.n_lambdas:
            level.n_lambdas -= 1
            self._note("lambda-colon", start, start + 1)
        elif not level.mark:
            self._outer_colon(start)
        elif level.mark == "{":
            self._note("dict-colon", start, start + 1)
        elif level.mark == "[" and not level.is_definition:
            self._slice_colon(start)
        else:
            level.colon = start
            self._note("annotation", start, start + 1)

    def _outer_colon(self, start: int) -> None:
        if not self._opens_block(start):
            self._note("annotation", start, start + 1)
            return
        self.block_colons.append(start)
        side = BEFORE if self._skeleton[start - 1] in BLANKS else TIGHT
        self.sites.append(Site("block-colon", side, start, start + 1))

    def _opens_block(self, start: int) -> bool:
        """Whether a colon outside all brackets ends the head of a compound statement."""
        skeleton = self._skeleton
        if self.block_colons and not _LINE_BREAK.search(skeleton, self.block_colons[-1], start):
            # Behind a head on the same line: an annotation.
            return False
        word = _FIRST_WORD.match(skeleton, self._row_start(start))
        if word is None or word[1] not in _BLOCK_WORDS:
            return False
        # `match` and `case` right before the colon are names that are annotated.
        return word[1] not in _SOFT_KEYWORDS or bool(skeleton[word.end() : start].strip(BLANKS))

    def _slice_colon(self, start: int) -> None:
        """A slice's colon is judged between two bounds only: beside a bracket there is no choice."""
        following = self._next_token(start + 1)
        after = self._skeleton[following : following + 1]
        if self._before(start) not in "[:," and after not in "]:,":
            self._note("slice-colon", start, start + 1)

    def _relation(self, start: int, token: str) -> None:
        self._note("comparison", start, start + len(token))

    def _assignment(self, start: int, token: str) -> None:
        self._note("assignment", start, start + len(token))

    def _arrow(self, start: int, token: str) -> None:
        self._note("arrow", start, start + len(token))

    def _operator(self, start: int, token: str) -> None:
        end = start + len(token)
        if self._skeleton[start - 1 : start] in ("e", "E") and _EXPONENT.search(
            self._skeleton[max(start - _LONGEST_NUMBER, 0) : start]
        ):
            return
        if token in _CAN_BE_SIGNS and self._is_sign(start):
            if token in _SIGNS and end < self._length:
                side = AFTER if self._skeleton[end] in BLANKS else TIGHT
                self.sites.append(Site("sign", side, start, end))
            return
        level = self._levels[-1] if self._levels else self._base
        if level.mark == "[" and _ENDS_OPERAND.match(self._skeleton, level.start - 1):
            self._note("index-operator", start, end)
        elif not (level.is_definition and self._skeleton[end : end + 1] in ",)"):
            # But for a `/` or `*` that stands alone among parameters.
            self._note(_OPERATORS[token], start, end)

    def _is_sign(self, start: int) -> bool:
        """Whether an operator has nothing on its left to work on."""
        before = self._before(start)
        if not before:
            # At the beginning of a line that goes on it is an operator or an unpacking.
            above = self._skeleton[:start].rstrip(BLANKS).removesuffix("\n").removesuffix("\r")
            if not self._levels and not above.endswith("\\"):
                return True
            before = above.rstrip(BLANKS + "\r\n\\#")[-1:]
        if _ENDS_OPERAND.match(before) is None:
            return True
        if self._skeleton[start - 1] not in BLANKS:
            return False
        while self._skeleton[start - 1] in BLANKS:
            start -= 1
        word = _LAST_WORD.search(self._skeleton[max(start - _LONGEST_KEYWORD - 1, 0) : start])
        return word is not None and word.group() in _BEFORE_AN_OPERAND
