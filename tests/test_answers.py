"""Questions that lead to themselves are answered as if all of them were solved at once."""

from hypothesis import given
from hypothesis import strategies as st

from tests.helpers import LIBRARY
from zephyrun.linking.answers import Answers
from zephyrun.linking.value_sorts import UNKNOWN_VALUE
from zephyrun.project.library import read_library
from zephyrun.proof.renames import World

UNKNOWN = frozenset({"?"})


@st.composite
def questions(draw):
    """For each question what it holds by itself, and the questions that it asks: straight, or by way of one that is
    asked whether a third holds something."""
    n_questions = draw(st.integers(1, 9))
    numbers = st.integers(0, n_questions - 1)
    own = [frozenset({f"own {number}"}) for number in range(n_questions)]
    asked = [draw(st.lists(numbers, max_size=3)) for _ in range(n_questions)]
    by_way = [draw(st.lists(numbers, max_size=1)) for _ in range(n_questions)]
    order = draw(st.lists(numbers, min_size=1, max_size=12))
    return own, asked, by_way, order


def solved(own, asked, by_way):
    """The smallest solution, by going over all of them until nothing changes."""
    found = [frozenset()] * len(own)
    while True:
        more = [
            mine.union(*(found[each] for each in others), *(marks(found[each]) for each in ways))
            for mine, others, ways in zip(own, asked, by_way, strict=True)
        ]
        if more == found:
            return found
        found = more


def marks(values):
    """What a question of another sort adds: whether the first thing is among some values."""
    return frozenset({"has 0"}) if "own 0" in values else frozenset()


@given(questions())
def test_answers_are_the_smallest_that_are_right(case):
    """In whatever order they are asked, and whatever asks them."""
    own, asked, by_way, order = case
    answers = Answers(UNKNOWN)

    def find(number):
        ways = (answers.once(("way", each), lambda each=each: marks(ask(each))) for each in by_way[number])
        return own[number].union(*map(ask, asked[number]), *ways)

    def ask(number):
        return answers.all_of(number, lambda: find(number))

    expected = solved(own, asked, by_way)
    assert [ask(number) for number in order] == [expected[number] for number in order]


def test_what_nobody_answers_is_unknown():
    """Two questions that only ask each other, one that asks another without end, one whose answer never rests."""
    answers = Answers(UNKNOWN)

    def ask(key, *others):
        return answers.all_of(key, lambda: frozenset().union(*(ask(other, key) for other in others)))

    assert ask("a", "b") == ask("b", "a") == UNKNOWN

    def deeper(depth):
        return answers.all_of(depth, lambda: deeper(depth + 1))

    assert deeper(0) == UNKNOWN

    def growing():
        return answers.all_of("growing", lambda: frozenset({max(growing(), default=0) + 1}))

    assert UNKNOWN <= growing()


def test_what_a_loop_asks_on_and_on_comes_to_an_end():
    """What each round of a loop asks for another attribute of what it has gets no longer name without end, and what it
    then may be is not known."""
    words = "year month day hour minute second".split()
    asking = "".join(f"        if {word}:\n            value = value.{word}\n" for word in words)
    text = f"def settle(rows, {', '.join(words)}):\n    value = [rows]\n    for row in rows:\n{asking}        value = value.replace(row)\n    return value\n"
    evaluator = World(library=read_library, memory=LIBRARY).evaluator({"hives.py": text.encode()})
    file = evaluator.file("hives.py")
    value = next(number for number, each in enumerate(file.facts.bindings) if each.name == "value")
    found = evaluator.binding_values(file, value)
    assert UNKNOWN_VALUE in found
    assert len(found) < 50
