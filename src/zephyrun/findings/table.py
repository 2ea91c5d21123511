"""The table of finding kinds. It feeds the code, the tests and the manual alike.

To add a kind: write a detector in a module of this folder, and an entry here.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

from zephyrun.findings.cryptic_names import find_cryptic_names
from zephyrun.findings.disabled_code import find_disabled_code
from zephyrun.findings.echo_comments import find_echo_comments
from zephyrun.findings.finding import FileView, Finding
from zephyrun.findings.layout import layout_detector
from zephyrun.findings.magic_numbers import find_magic_numbers
from zephyrun.findings.masking_names import find_masking_names
from zephyrun.findings.misleading_names import find_misleading_names
from zephyrun.findings.muddled_names import find_muddled_names
from zephyrun.findings.off_style_names import find_off_style_names
from zephyrun.findings.vague_names import find_vague_names

FAMILIES = ("names", "literals", "comments", "layout", "order", "structure")


@dataclass(frozen=True)
class Kind:
    """One kind of finding. `before` is found by `detector`, `after` is not; one that `goes_by_habits` is judged by
    how the project does it elsewhere."""

    name: str
    family: str
    reason: str
    before: str
    after: str
    detector: Callable[[FileView], Iterator[Finding]]
    goes_by_habits: bool = False


_PARAGRAPH = """\
    {part} = hive.{part}
    if {part} is None:
        log("no {part}")
        order(hive, "{part}")
    for frame in {part}:
        weigh(frame)
        clean(frame)
    note({part})
"""
_PARAGRAPHS = [_PARAGRAPH.format(part=part) for part in ("brood", "honey", "pollen", "wax")]

KINDS: dict[str, Kind] = {
    kind.name: kind
    for kind in (
        Kind(
            "cryptic-name",
            "names",
            "A reader has to carry what the name stands for until its last use.",
            "def yearly_yield(hive):\n    w = hive.weight\n    return w * hive.harvests\n",
            "def yearly_yield(hive):\n    weight = hive.weight\n    return weight * hive.harvests\n",
            find_cryptic_names,
        ),
        Kind(
            "vague-name",
            "names",
            "A word that fits anything makes the reader look up what it stands for here.",
            "def yearly_yield(hive):\n    value = hive.weight\n    log(value)\n    store(weight=value)\n    return value\n",
            "def yearly_yield(hive):\n    weight = hive.weight\n    log(weight)\n    store(weight=weight)\n    return weight\n",
            find_vague_names,
        ),
        Kind(
            "misleading-name",
            "names",
            "A reader believes the name, and not the code that says otherwise.",
            "def get_weight(hive):\n    hive.weight = weigh(hive)\n",
            "def update_weight(hive):\n    hive.weight = weigh(hive)\n",
            find_misleading_names,
        ),
        Kind(
            "off-style-name",
            "names",
            "Whoever has learned how the project writes its names looks for another one.",
            "def lightest(hives):\n    netWeight = min(hives)\n    return netWeight\n",
            "def lightest(hives):\n    net_weight = min(hives)\n    return net_weight\n",
            find_off_style_names,
            goes_by_habits=True,
        ),
        Kind(
            "muddled-names",
            "names",
            "Readers take two names that look alike for each other, and one idea under two names for two.",
            "def gain(hive):\n    weight = hive.weight\n    wieght = hive.tare\n    return weight - wieght\n",
            "def gain(hive):\n    weight = hive.weight\n    tare = hive.tare\n    return weight - tare\n",
            find_muddled_names,
        ),
        Kind(
            "masking-name",
            "names",
            "What the name stood for before cannot be reached here, and whoever needs it gets something else.",
            "def heaviest(hives):\n    list = hives.weights\n    return list[0]\n\n\ndef names(hives):\n    return list(hives)\n",
            "def heaviest(hives):\n    weights = hives.weights\n    return weights[0]\n\n\ndef names(hives):\n"
            "    return list(hives)\n",
            find_masking_names,
        ),
        Kind(
            "magic-number",
            "literals",
            "A reader has to guess what the number stands for, and whether another one is the same.",
            "def yearly_yield(hive):\n    return hive.daily_yield * 365\n",
            "DAYS_PER_YEAR = 365\n\n\ndef yearly_yield(hive):\n    return hive.daily_yield * DAYS_PER_YEAR\n",
            find_magic_numbers,
        ),
        Kind(
            "disabled-code",
            "comments",
            "Code that does not run still has to be read, and version control remembers it.",
            "def inspect(hive):\n    # if hive.queen is None:\n    #     order_queen(hive)\n    return hive\n",
            "def inspect(hive):\n    # a queen is ordered by hand\n    return hive\n",
            find_disabled_code,
        ),
        Kind(
            "echo-comment",
            "comments",
            "The comment says what the code beside it says already, and can only become wrong.",
            "def inspect(hive):\n    # increment the inspections\n    hive.inspections += 1\n",
            "def inspect(hive):\n    hive.inspections += 1\n",
            find_echo_comments,
        ),
        Kind(
            "ragged-indent",
            "layout",
            "Depth on the page no longer shows depth in the program.",
            "def inspect(hive):\n   return hive.queen\n",
            "def inspect(hive):\n    return hive.queen\n",
            layout_detector("ragged-indent"),
            goes_by_habits=True,
        ),
        Kind(
            "crammed-line",
            "layout",
            "What a line does behind its first statement is easily passed over.",
            "def inspect(hive):\n    if hive.queen is None: order_queen(hive); log(hive)\n",
            "def inspect(hive):\n    if hive.queen is None:\n        order_queen(hive)\n        log(hive)\n",
            layout_detector("crammed-line"),
            goes_by_habits=True,
        ),
        Kind(
            "uneven-spacing",
            "layout",
            "What is spaced otherwise than its like looks like something else.",
            "def inspect(hive):\n    hive.inspections+=1\n",
            "def inspect(hive):\n    hive.inspections += 1\n",
            layout_detector("uneven-spacing"),
            goes_by_habits=True,
        ),
        Kind(
            "overlong-line",
            "layout",
            "The end of the line is off the page, and its parts do not show.",
            "def inspect(hive):\n"
            "    log(hive.name, hive.weight, hive.temperature, hive.inspections, hive.queen, hive.frames)\n",
            "def inspect(hive):\n    log(\n        hive.name,\n        hive.weight,\n        hive.queen,\n    )\n",
            layout_detector("overlong-line"),
            goes_by_habits=True,
        ),
        Kind(
            "wall-of-code",
            "layout",
            "Nothing shows where one thought ends and the next begins.",
            "def inspect(hive):\n" + "".join(_PARAGRAPHS),
            "def inspect(hive):\n" + "\n".join(_PARAGRAPHS),
            layout_detector("wall-of-code"),
            goes_by_habits=True,
        ),
    )
}
