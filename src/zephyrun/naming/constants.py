"""What the code says a number should be called, ranked.

Evidence, best first: the comment on its line, a number that the trade knows by name beside a word of
its world, the parameter that it is passed to, the callee that implies a unit, what it is compared with.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator

from zephyrun.facts import Definition, FileFacts, Literal
from zephyrun.naming.questions import Suggestion
from zephyrun.naming.remarks import name_from_words, snippet
from zephyrun.naming.words import crypticness, snake_case, split_name, stem
from zephyrun.patterns import lazy_pattern
from zephyrun.source import SourceText

_MOST_SUGGESTIONS = 5
_COMMENT_SCORE = 0.72
_KNOWN_SCORE = 0.7
_PARAMETER_SCORE = 0.55
_UNIT_SCORE = 0.55
_LIMIT_SCORE = 0.45
_LOOKED_BACK = 20
_IDENTIFIER = lazy_pattern(r"[^\W\d]\w*")
_ORDER = lazy_pattern(r"(?:<=?|>=?)\s*\(?-?\s*$")
_ORDER_BEHIND = lazy_pattern(r"\s*\)?\s*(?:<=?|>=?)")

# Numbers that have a name by themselves: value, name, and words of which one must be near. A word
# such as `day` also meets `days` and `daily`.
_KNOWN = (
    ("3600", "SECONDS_PER_HOUR", "hour second time elapsed duration"),
    ("3600.0", "SECONDS_PER_HOUR", "hour second time elapsed duration"),
    ("86400", "SECONDS_PER_DAY", "day second time elapsed duration"),
    ("86400.0", "SECONDS_PER_DAY", "day second time elapsed duration"),
    ("1440", "MINUTES_PER_DAY", "day minute"),
    ("60", "SECONDS_PER_MINUTE", "second"),
    ("60", "MINUTES_PER_HOUR", "minute hour"),
    ("24", "HOURS_PER_DAY", "hour day daily"),
    ("7", "DAYS_PER_WEEK", "week day daily"),
    ("52", "WEEKS_PER_YEAR", "week year"),
    ("12", "MONTHS_PER_YEAR", "month year"),
    ("365", "DAYS_PER_YEAR", "day daily year yearly annual"),
    ("365.25", "DAYS_PER_YEAR", "day daily year yearly annual"),
    ("1024", "BYTES_PER_KIB", "byte size kib kb memory"),
    ("1048576", "BYTES_PER_MIB", "byte size mib mb memory"),
    ("1000", "GRAMS_PER_KG", "gram weight kg mass"),
    ("1000", "MILLISECONDS_PER_SECOND", "millisecond ms second"),
    ("2.20462", "POUNDS_PER_KG", "pound lb kg weight"),
    ("2.2046", "POUNDS_PER_KG", "pound lb kg weight"),
    ("0.453592", "KG_PER_POUND", "pound lb kg weight"),
    ("0.45359237", "KG_PER_POUND", "pound lb kg weight"),
    ("273.15", "ZERO_CELSIUS_IN_KELVIN", "kelvin celsius temperature temp"),
    ("32", "FREEZING_POINT_IN_FAHRENHEIT", "fahrenheit celsius temperature temp"),
    ("1.8", "FAHRENHEIT_PER_CELSIUS", "fahrenheit celsius temperature temp"),
    ("9.81", "GRAVITY", "force weight mass fall gravity acceleration"),
    ("9.80665", "GRAVITY", "force weight mass fall gravity acceleration"),
    ("3.14159", "PI", ""),
    ("3.14159265", "PI", ""),
    ("3.1415926535", "PI", ""),
    ("3.141592653589793", "PI", ""),
)
# Callees that take a time, and in what unit.
_UNITS = {"sleep": "SECONDS", "settimeout": "SECONDS", "wait": "SECONDS", "alarm": "SECONDS"}


def suggest_constant_names(
    source: SourceText, facts: FileFacts, literal: Literal, is_free: Callable[[str], bool]
) -> tuple[Suggestion, ...]:
    """Names for a number, best first; empty where nothing is worth proposing.

    `is_free` says whether the module can take a name.
    """
    found: dict[str, Suggestion] = {}
    mark = "_" if _keeps_constants_private(facts) else ""
    for candidate in _candidates(source, facts, literal):
        suggestion = candidate._replace(text=mark + candidate.text)
        better = found.get(suggestion.text)
        if is_free(suggestion.text) and (better is None or better.score < suggestion.score):
            found[suggestion.text] = suggestion
    ranked = sorted(found.values(), key=lambda each: (-each.score, each.text))
    return tuple(ranked[:_MOST_SUGGESTIONS])


def _keeps_constants_private(facts: FileFacts) -> bool:
    """Whether a constant of the module would bear an underscore: where the module lists its public
    names, or most of its constants do."""
    constants = [name for name in facts.module_names if name.isupper()]
    n_private = sum(name.startswith("_") for name in constants)
    return "__all__" in facts.names or n_private > len(constants) / 2


def _candidates(source: SourceText, facts: FileFacts, literal: Literal) -> Iterator[Suggestion]:
    comment = _remark(source, facts, literal)
    if text := _name_from_remark(comment):
        yield Suggestion(text.upper(), _COMMENT_SCORE, (f"its comment says {snippet(comment)}",))
    if literal.context != "compared":
        yield from _known_by_value(source, facts, literal)
    if literal.context == "argument":
        yield from _from_call(source, facts, literal)
    if literal.context == "compared" and _says_something(literal.beside) and _is_ordered(source, literal):
        name = f"{snake_case(literal.beside)}_limit".upper()
        yield Suggestion(name, _LIMIT_SCORE, (f"a limit of {literal.beside}",))


def _known_by_value(source: SourceText, facts: FileFacts, literal: Literal) -> Iterator[Suggestion]:
    near: set[str] = set()
    for value, name, subject in _KNOWN:
        if value == literal.value:
            near = near or _words_near(source, facts, literal)
            if not subject or near & {stem(word) for word in subject.split()}:
                yield Suggestion(name, _KNOWN_SCORE, (f"{value} beside {_some(near, subject)}",))


def _says_something(name: str) -> bool:
    return name not in ("", "len") and crypticness(name.strip("_")) == 0.0


def _some(near: set[str], subject: str) -> str:
    words = [word for word in subject.split() if stem(word) in near]
    return words[0] if words else "nothing else"


def _remark(source: SourceText, facts: FileFacts, literal: Literal) -> str:
    """The comment behind the line, where no other number could be meant; "" for none."""
    comment = facts.trailing_comment(facts.statement_at(literal.start))
    line = source.line_of(literal.start)
    if comment is None or source.line_of(comment.start) != line:
        return ""
    start = source.line_starts[line - 1]
    n_numbers = sum(start <= each.start < comment.start for each in facts.literals)
    return comment.text if n_numbers == 1 else ""


def _name_from_remark(comment: str) -> str:
    """A name from a remark behind a number; `# days per year` says what it is a rate of."""
    name = name_from_words(comment)
    _, _, rate = comment.lower().partition(" per ")
    denominator = name_from_words(rate) if name else ""
    return f"{name}_per_{denominator}" if denominator else name


def _words_near(source: SourceText, facts: FileFacts, literal: Literal) -> set[str]:
    """The stems of the words in the statement around a number and in the function's name."""
    statement = facts.statements[max(facts.statement_at(literal.start), 0)]
    text = source.text[statement.start : statement.head_end]
    names = [*_IDENTIFIER.findall(text), facts.scopes[facts.owner(literal.scope)].name]
    comment = facts.trailing_comment(facts.statement_at(literal.start))
    if comment is not None:
        names += _IDENTIFIER.findall(comment.text)
    return {stem(word) for name in names for word in split_name(name)}


def _from_call(source: SourceText, facts: FileFacts, literal: Literal) -> Iterator[Suggestion]:
    if (unit := _UNITS.get(literal.beside)) is not None:
        name = f"{literal.beside}_{unit}".upper()
        yield Suggestion(name, _UNIT_SCORE, (f"{literal.beside} takes {unit.lower()}",))
    position = literal.position
    for definition in facts.definitions_by_name.get(literal.beside, ()):
        if parameter := _parameter_name(definition, position):
            words = split_name(parameter)
            name = parameter if len(words) > 1 else f"{definition.name}_{parameter}"
            yield Suggestion(
                snake_case(name).upper(),
                _PARAMETER_SCORE,
                (f"passed to {definition.name} as {parameter}",),
            )


def _parameter_name(definition: Definition, position: int) -> str:
    """The parameter that takes the positional argument of an index, "" where there is none."""
    # A method that is called on an instance gets that instance before the first argument.
    names = definition.parameters
    if names and names[0] in ("self", "cls"):
        names = names[1:]
    return names[position] if position < len(names) else ""


def _is_ordered(source: SourceText, literal: Literal) -> bool:
    """Whether the number is held against something by its size."""
    behind = _ORDER_BEHIND.match(source.text, literal.end)
    return _ORDER.search(code_before(source, literal)) is not None or behind is not None


def code_before(source: SourceText, literal: Literal) -> str:
    """The code right before a literal, as far as an operator can lie."""
    return source.text[max(literal.start - _LOOKED_BACK, 0) : literal.start]
