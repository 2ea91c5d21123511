"""What a team says about words: which short forms are fine, what words mean, and which it prefers to which."""

from __future__ import annotations

from dataclasses import dataclass

from zephyrun.naming.letters import words_of
from zephyrun.naming.offers import ChosenName
from zephyrun.naming.words import crypticness, is_readable, split_name


@dataclass(frozen=True)
class WordChoices:
    """`fine` are words that every reader of the project knows; `instead` has for words that are not to be used
    the ones that are; `chosen` are names that were given before in place of others."""

    fine: frozenset[str] = frozenset()
    instead: tuple[tuple[str, str], ...] = ()
    chosen: tuple[ChosenName, ...] = ()

    def crypticness(self, name: str) -> float:
        """How hard a name is to read, from 0 (plain) to 1, for whoever knows the team's words."""
        if self.fine:
            unknown = [word for word in split_name(name) if not word.isdigit() and word not in self.fine]
            if not unknown:
                return 0.0
            if len(unknown) < len(words_of(name)):
                return crypticness("_".join(unknown))
        return crypticness(name)

    def unknown(self, name: str) -> list[str]:
        """The words of a name that no reader knows, not even one who knows the team's."""
        return [word for word in words_of(name) if word not in self.fine and not is_readable(word)]

    def preferred(self, name: str) -> str:
        """A name of small letters with the words that the team prefers, "" where it has none of the others."""
        instead = dict(self.instead)
        words = name.split("_")
        better = "_".join(instead.get(word, word) for word in words)
        return better if better != name else ""

    def as_text(self) -> str:
        """What stands for all of it, for the cache."""
        return f"{sorted(self.fine)} {self.instead} {self.chosen}"


def words_in_text(text: str) -> frozenset[str]:
    """The words of a list of terms: plain text, whatever stands between them; behind a `#` stands a remark."""
    lines = (line.partition("#")[0] for line in text.splitlines())
    return frozenset(word.lower() for line in lines for word in split_name(line))
