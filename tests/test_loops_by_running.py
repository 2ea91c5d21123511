"""Loops over an index and over things: what the proof calls the same is run in every case, and must do the same."""

import random

from tests.helpers import LIBRARY, THINGS
from zephyrun.project.library import read_library
from zephyrun.proof.renames import World
from zephyrun.proof.trees import compare_trees
from zephyrun.proof.verdict import Verdict

N_PROGRAMS = 120
PRELUDE = THINGS + '''
kept = []
def make(number):
    return [Thing(each) for each in range(number)]
def keep(things):
    kept.append(things)
    return things
def take():
    for things in kept:
        if isinstance(things, list) and things:
            things.pop(0)
def tell(*values):
    told.append(repr(values))
'''
SOURCES = (
    "sorted(make(3))", "list(make(3))", "[Thing(1), Thing(2)]", "make(3)", "tuple(make(3))", "(Thing(1), Thing(2))", "'abc'",
    "[each for each in make(3)]", "keep([Thing(1), Thing(2), Thing(3)])", "'a b'.split()", "list(given)", "given",
)
BEFORE = (
    "", "", "keep(things)", "things.append(Thing(9))", "same = things", "held = [things]", "tell(len(things))", "first = things[0]",
    "for each in things: tell(each)", "later = lambda: things", "things.sort()",
)
INSIDE = (
    "tell(thing)", "take()", "tell(things[0])", "things.append(1)\n            break", "if given: break", "tell(len(things))", "thing = None",
    "things = []", "keep(things)", "other = thing", "for each in things: tell(each)", "del things", "continue",
)
AFTER = ("", "return thing", "tell(thing)", "return things", "things = None\n    tell(thing)", "return place", "take()", "last = things")


def programs(dice):
    """A function with a loop over an index, and what a person might make of it, with or without care."""
    body = dice.sample(INSIDE, dice.randrange(1, 4))
    reads_place = dice.random() < 0.4
    if reads_place:
        body.insert(dice.randrange(len(body) + 1), "tell(place)")
    head = [f"things = {dice.choice(SOURCES)}", dice.choice(BEFORE)]
    end = dice.choice(("", "", "    else:\n        tell('all')"))
    is_repeated, after = dice.random() < 0.2, dice.choice(AFTER)
    over_things = "for place, thing in enumerate(things):" if reads_place and dice.random() < 0.9 else "for thing in things:"
    for loop in ("for place in range(len(things)):\n        thing = things[place]", over_things):
        lines = [f"    {loop}", *(f"        {each}" for each in body), *filter(None, [end])]
        if is_repeated:
            lines = ["    for _ in range(2):", *(f"    {each}" for line in lines for each in line.split("\n"))]
        yield "\n".join(["def work(given):", *(f"    {each}" for each in head), *lines, f"    {after}"]) + "\n"


def behaviour(program):
    """What a program tells, gives and raises for each way to call it."""
    told = []
    names = {"told": told}
    exec(compile(PRELUDE + program, "<program>", "exec"), names)
    for given in (0, 1, []):
        try:
            told.append(repr(names["work"](given)))
        except (NameError, TypeError, IndexError, AttributeError) as problem:
            told.append(type(problem).__name__)
        names["kept"].clear()
    return told


def test_loops_that_are_called_the_same_do_the_same():
    """Lists that others have or change, that are bound anew or dropped, and things with a last word."""
    dice = random.Random()
    n_same = 0
    for _ in range(N_PROGRAMS):
        old, new = programs(dice)
        try:
            compile(old + new, "<programs>", "exec")
        except SyntaxError:
            continue
        proof = compare_trees({"m.py": old.encode()}, {"m.py": new.encode()}, world=World(library=read_library, memory=LIBRARY))
        if proof.verdict is Verdict.SAME:
            n_same += 1
            assert behaviour(old) == behaviour(new), f"{old}\n{new}"
    assert n_same
