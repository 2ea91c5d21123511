"""Sites: the places where the language lets one choose whether to leave a space.

Most are told apart by a look at their brackets (an `=` in a call is not the one of an assignment);
`Edge` places need not even that, and are counted at the speed of a search.
"""

from __future__ import annotations

import keyword
import re
from collections.abc import Callable, Iterator
from typing import NamedTuple

TIGHT, AFTER, BEFORE, SPACED = "tight", "after", "before", "spaced"
_SIDES = (TIGHT, AFTER, BEFORE, SPACED)

BLANKS = " \t\f"
_LINE_BOUNDS = "\\\r\n#"
# Without groups each choice begins with a fixed character, which makes a search fast.
_TOKEN = re.compile(
    r"\(|\[|\{|\)|\]|\}|:=|:|==|=|!=|<<=|<<|<=|<|>>=|>>|>=|>|->|-=|-|\+=|\+|\*\*=|\*\*|\*=|\*"
    r"|//=|//|/=|/|%=|%|@=|@|&=|&|\|=|\||\^=|\^|~|lambda"
)
_BLANK_RUN = re.compile(r"[ \t\f]*")
_FIRST_WORD = re.compile(r"[ \t\f]*(\w+)")
_LAST_WORD = re.compile(r"\w+\Z")
_TYPE_PARAMETERS = re.compile(
    r"[ \t\f]*(?:(?:async[ \t]+)?def|class|type)[ \t]+\w+[ \t]*(?=\[)"
)
_FUNCTION = re.compile(r"[ \t\f]*(?:async[ \t]+)?def\b")
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
_ENDS_OPERAND = re.compile(r"[\w)\]}\"']")


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
    """A place that shows by itself. `usual` finds the sites where nothing is to be seen but
    `usual_side`, `others` those that are otherwise."""

    place: str
    usual_side: str
    usual: re.Pattern[str]
    others: tuple[tuple[str, re.Pattern[str]], ...]


def _bracket_edges(place: str, opening: str, closing: str) -> Iterator[Edge]:
    inside = rf"[^\s#\\{closing}]"
    before = rf"[^\s,{opening}]"
    yield Edge(
        place,
        TIGHT,
        re.compile(rf"{opening}(?={inside})"),
        ((AFTER, re.compile(rf"{opening}(?=[ \t]+{inside})")),),
    )
    yield Edge(
        place,
        TIGHT,
        re.compile(rf"{closing}(?<={before}{closing})"),
        ((BEFORE, re.compile(rf"[ \t]+{closing}")),),
    )


# Each pattern begins with what it looks for, and looks back afterwards: that makes a search fast.
EDGES = (
    Edge(
        "comma",
        AFTER,
        re.compile(r",(?<=\S,)(?=[ \t]+[^\s#\\)\]}])"),
        (
            (TIGHT, re.compile(r",(?<=\S,)(?=[^\s)\]}#\\])")),
            (SPACED, re.compile(r"[ \t]+,(?=[ \t]+[^\s#\\)\]}])")),
            (BEFORE, re.compile(r"[ \t]+,(?=\S)")),
        ),
    ),
    *_bracket_edges("round-brackets", r"\(", r"\)"),
    *_bracket_edges("square-brackets", r"\[", r"\]"),
    *_bracket_edges("curly-brackets", r"\{", r"\}"),
    Edge(
        "call",
        TIGHT,
        re.compile(r"[(\[](?<=[\w)\]\"].)"),
        ((BEFORE, re.compile(r"[ \t]+[(\[]")),),
    ),
)


def edge_sites(skeleton: str, edge: Edge, side: str) -> Iterator[Site]:
    """The sites of an edge place that are on one side."""
    pattern = edge.usual if side == edge.usual_side else dict(edge.others)[side]
    for match in pattern.finditer(skeleton):
        token = match.group().lstrip(BLANKS)
        start = match.end() - len(token)
        if match.start() == start or _follows_code(skeleton, match.start(), edge.place):
            yield Site(edge.place, side, start, match.end())


def _follows_code(skeleton: str, end: int, place: str) -> bool:
    """Whether a space that begins there parts a token from what belongs to it."""
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

    def read(self) -> None:
        """Read the whole skeleton."""
        levels, brackets = self._levels, self.brackets
        handlers = self._handlers()
        for match in _TOKEN.finditer(self._skeleton):
            token = match.group()
            # Brackets are most of all tokens, so they are dealt with here.
            if token in "([{":
                start = match.start()
                is_definition = not levels and token != "{" and self._is_definition(start, token)
                levels.append(_Level(token, start, is_definition=is_definition))
            elif token in ")]}":
                if levels:
                    level = levels.pop()
                    brackets.append(Bracket(level.start, match.start(), len(levels)))
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
            start = max(skeleton.rfind("\n", 0, offset), skeleton.rfind("\r", 0, offset)) + 1
            around = self._outer_bracket_at(start)
            if around is not None:
                offset = around.start
            elif start and skeleton[:start].rstrip("\r\n")[-1:] == "\\":
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

    def _is_definition(self, start: int, token: str) -> bool:
        """Whether a bracket holds the parameters of a function, or type parameters."""
        row = self._row_start(start)
        if token == "(":
            return _FUNCTION.match(self._skeleton, row) is not None
        head = _TYPE_PARAMETERS.match(self._skeleton, row)
        return head is not None and head.end() == start

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
        word = _FIRST_WORD.match(self._skeleton, self._row_start(start))
        if word is None or word[1] not in _BLOCK_WORDS:
            self._note("annotation", start, start + 1)
            return
        self.block_colons.append(start)
        side = BEFORE if self._skeleton[start - 1] in BLANKS else TIGHT
        self.sites.append(Site("block-colon", side, start, start + 1))

    def _slice_colon(self, start: int) -> None:
        """A slice's colon is judged between two bounds only: beside a bracket there is no choice."""
        after = self._skeleton[self._next_token(start + 1) :][:1]
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
