"""What is known about the use of one name across a project."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from typing import NamedTuple


class TargetSort(StrEnum):
    """What sort of thing bears a name."""

    LOCAL = "local"
    PARAMETER = "parameter"
    GLOBAL = "module-level name"
    MEMBER = "attribute"
    MODULE = "module"


class Target(NamedTuple):
    """The thing that a name is the name of.

    `number` is the binding of a local or parameter, or the class record of a member (the one at which
    somebody pointed); -1 for what the path and name alone tell. For a parameter `owner` is its function
    record. The name of a module is its dotted name, and that of a member what the language makes of it;
    `spelling` is how it is written, where that is something else.
    """

    sort: TargetSort
    path: str
    name: str
    number: int = -1
    owner: int = -1
    spelling: str = ""

    @property
    def written(self) -> str:
        """The name as it stands in the text."""
        if self.sort is TargetSort.MODULE:
            return self.name.rpartition(".")[2]
        return self.spelling or self.name


class PlaceSort(StrEnum):
    """What a name does where it stands."""

    DEFINITION = "definition"
    READ = "read"
    WRITE = "write"
    KEYWORD = "keyword"
    IMPORT = "import"
    TEXT = "in a string used as a name"
    TYPE_COMMENT = "type comment"
    DOCUMENTATION = "in documentation"
    COMMENT = "in a comment"
    DOCUMENT = "in a document"
    STRING = "in a string"


PRIVATE_ATTRIBUTES = "a library's objects (not read) not bearing a private attribute name"


class Place(NamedTuple):
    """Where a name stands: the text from `start` to `end` of a file is the name as it is written.

    At a place that is not `alone` (`import weights`) the new name is written behind the old one, as an
    alias. At the alias of an import, `imported` is the name that it stands for, which ends at
    `imported_end`: where that is the new name, no alias is needed any more.
    """

    path: str
    start: int
    end: int
    sort: PlaceSort
    alone: bool = True
    imported: str = ""
    imported_end: int = -1


class OpenPlace(NamedTuple):
    """A place of which nobody can tell whether the name there is the one in question."""

    place: Place
    why: str


class Doubt(NamedTuple):
    """Something that could read the name while the program runs, and that no reading of the code can
    clear. `what` is the sentence that a person vouches for; it holds no lines. Those `of_outsiders` are
    about code outside the project that uses the name, for which an old name can be kept; those `of_reader` about a
    module of the project, for which the settings may give the word; those `of_names` about what goes through the names
    of something, or works some out, which may come to a new name as well. Where the sentence speaks of something that is
    `called` there, it begins with that."""

    what: str
    path: str
    start: int
    of_outsiders: bool = False
    of_reader: bool = False
    of_names: bool = False
    called: str = ""


class Sought(NamedTuple):
    """A name that some code looks for, or the beginning of such names. `what` says so of the name in whose
    place "…" stands."""

    name: str
    is_beginning: bool
    what: str

    def may_be(self, name: str) -> bool:
        """Whether a name is looked for."""
        return name.startswith(self.name) if self.is_beginning else name == self.name

    def about(self, name: str) -> str:
        """What is to be vouched for of a name."""
        return self.what.replace("…", f"`{name}`")


class Obstacle(NamedTuple):
    """Why a name cannot be changed, in one plain sentence, and where that shows."""

    reason: str
    path: str
    start: int


def minds_no_names(module: str) -> str:
    """What an answer rests on where the settings vouch for a module."""
    return f"{module} minds no other names, as the settings say"


@dataclass
class Usage:
    """The use of one name: places that are references, places that may be, and what speaks against a
    change of it.

    `mentions` are places where the name stands as a word and is not meant to be changed along; `assumed`
    is what the answer rests on, in the words of the closed list. `homes` are the modules, classes (by their
    records) or functions (by theirs) that the name is one of: paths and numbers, -1 for a module. A name that
    `stands_alone` is a private one that nothing else in sight bears, so that it means the thing wherever an
    attribute is called so. `sought` are names that code looks for, which a new name should not be. `harmless` are the files, with the names of
    their modules, of which the settings say that they mind no other names, though they read some. By its `present_name` the
    thing is bound: another one than that of the target where this is what it would be called.
    """

    target: Target
    label: str = ""
    places: set[Place] = field(default_factory=set)
    open_places: list[OpenPlace] = field(default_factory=list)
    doubts: list[Doubt] = field(default_factory=list)
    obstacles: list[Obstacle] = field(default_factory=list)
    mentions: set[Place] = field(default_factory=set)
    assumed: list[str] = field(default_factory=list)
    homes: list[tuple[str, int]] = field(default_factory=list)
    stands_alone: bool = False
    sought: set[Sought] = field(default_factory=set)
    harmless: Mapping[str, str] = field(default_factory=dict)
    present_name: str = ""

    def add(self, places: Iterable[Place]) -> None:
        """Add references."""
        self.places.update(places)

    def doubt_reader(self, what: str, path: str, start: int = 0, *, of_names: bool = False) -> None:
        """Add a doubt about a file that reads names, or the assumption that it minds none where somebody says so."""
        if path in self.harmless:
            self.assume(minds_no_names(self.harmless[path]))
        else:
            self.doubt(what, path, start, of_reader=True, of_names=of_names)

    def doubt_lookup(self, path: str, start: int) -> None:
        """Add a doubt about a file that looks names up which it works out."""
        self.doubt_reader(self._about_lookup(path), path, start, of_names=True)

    def has_lookup_doubt(self, path: str) -> bool:
        """Whether there is such a doubt about a file already."""
        return any(each.what == self._about_lookup(path) for each in self.doubts)

    def _about_lookup(self, path: str) -> str:
        return f"nothing in {path} looks up `{self.target.written}` by a name that it works out"

    def is_obstructed_by(self, reason: str) -> bool:
        """Whether an obstacle is known already."""
        return any(each.reason == reason for each in self.obstacles)

    def doubt(
        self,
        what: str,
        path: str,
        start: int = 0,
        *,
        of_outsiders: bool = False,
        of_reader: bool = False,
        of_names: bool = False,
        called: str = "",
    ) -> None:
        """Add a doubt, each sentence once."""
        if all(each.what != what for each in self.doubts):
            self.doubts.append(Doubt(what, path, start, of_outsiders, of_reader, of_names, called))

    def first_place(self) -> tuple[str, int]:
        """The file and the offset of the first place, or the file of the target where there is none."""
        place = min(self.places, default=None)
        return (place.path, place.start) if place is not None else (self.target.path, 0)

    def obstruct(self, reason: str, path: str, start: int = 0) -> None:
        """Add an obstacle, each sentence once."""
        if all(each.reason != reason for each in self.obstacles):
            self.obstacles.append(Obstacle(reason, path, start))

    def assume(self, what: str) -> None:
        """Add an assumption, once."""
        if what not in self.assumed:
            self.assumed.append(what)

    def look_out(
        self, what: str, names: Iterable[str], start: int = 0, *, path: str = "", for_beginnings: bool = False
    ) -> None:
        """Note names, or beginnings of names, that code looks for, and a doubt where the name is one of them.
        `what` says so of the name in whose place "…" stands; without a path, it is the file of the target."""
        sought = {Sought(name, for_beginnings, what) for name in names}
        self.sought |= sought
        for each in sought:
            if each.may_be(self.target.written):
                self.doubt(each.about(self.target.written), path or self.target.path, start)

    def doubts_about(self, new: str) -> Iterator[str]:
        """What would have to be vouched for if the name were another one, and is not of the old one."""
        yield from (each.about(new) for each in sorted(each for each in self.sought if each.may_be(new)))

    def by_path(self) -> dict[str, list[Place]]:
        """The references of each file, in text order."""
        found: dict[str, list[Place]] = {}
        for place in sorted(self.places):
            found.setdefault(place.path, []).append(place)
        return found
