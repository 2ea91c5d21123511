"""How often the right name is found: names of real code are hidden, and sought.

    python benchmarks/names/masking.py SOURCES [--packages report] [--cases N]

Variables, functions and classes apart, in four settings: all names of a function hidden at once (for a function,
its own and those of its variables); the same without the project's own table, as in a project that names everything
badly; one name hidden; one name replaced by a short form of it. Conventional names (one or
two letters, `self`, …) are left out. The project's table leaves out the function, copies of it, those of its
name in the same file (such as overloads), and files that are there twice. What is printed: exact at first place and among five,
and for suggestions with a score of .5 or more, how many are exact and in how many cases there is one.
"""

from __future__ import annotations

import argparse
import hashlib
import random
import tomllib
from collections import defaultdict
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from types import MappingProxyType
from typing import NamedTuple

from zephyrun.facts import Context, FileFacts, Role, ScopeKind
from zephyrun.languages.python import UnreadableSource, parse
from zephyrun.languages.python.contexts import read_contexts
from zephyrun.naming.candidates import Candidate, candidates_of
from zephyrun.naming.features import features_of, is_learned_from, keys_of, results_of
from zephyrun.naming.file_usage import names_counted
from zephyrun.naming.letters import skeleton
from zephyrun.naming.questions import NameCase, Sort, sort_of
from zephyrun.naming.ranking import rank
from zephyrun.naming.remarks import remarks_on
from zephyrun.naming.usage import ProjectUsage, Row, Told, Usage, share_of, shipped_usage, telling_of
from zephyrun.naming.words import split_name
from zephyrun.source import SourceText

HERE = Path(__file__).parent
SETTINGS = ("all masked", "nothing to go by", "one masked", "short form")
_CONVENTIONAL_LENGTH = 2
_SURE = 0.5
_AMONG = 5
_TENTHS = 10
_SHORT_LENGTH = 3
_ANY_LETTERS = "abcdnpqrstvxyz"
_SHARE_OF_ANY_LETTERS = 0.4
# The number of a file, and that of a function's scope in it.
_Place = tuple[int, int]


@dataclass(frozen=True)
class Hidden:
    """A name that is hidden: what is asked, and what the answer is."""

    setting: str
    case: NameCase
    answer: str
    siblings: frozenset[str]
    project: Usage


class Without:
    """A project's usage but for some variables of it, such as those of the function that is looked at."""

    def __init__(
        self, usage: ProjectUsage, left_out: ProjectUsage, all_words: Mapping[str, float] = MappingProxyType({})
    ) -> None:
        """`all_words` are the words of the usage with how often they are, where somebody asks for words."""
        self._usage = usage
        self._left_out = left_out
        self._all_words = all_words

    def row(self, key: int) -> Row:
        """The row of a feature's key without the counts of what is left out."""
        row, less = self._usage.row(key), self._left_out.row(key)
        if not less.total:
            return row
        names = {
            name: count - less.names.get(name, 0)
            for name, count in row.names.items()
            if count > less.names.get(name, 0)
        }
        return Row(row.total - less.total, names)

    def telling(self, key: int) -> Mapping[str, Told]:
        """What the row of a feature's key tells without what is left out."""
        return telling_of(self.row(key), self.share)

    def _count(self, name: str) -> int:
        return self._usage.count(name) - self._left_out.count(name)

    def share(self, name: str) -> float:
        """The share of the project's variables that bear a name, without what is left out."""
        return share_of(self._count(name), self._usage.total - self._left_out.total)

    @property
    def words_by_initial(self) -> Mapping[str, Mapping[str, float]]:
        """The words of the project's names by their first letters, without those that are only in what is left out."""
        less = self._left_out.word_counts
        gone = {word for word, count in less.items() if count >= self._all_words.get(word, 0)}
        return {
            initial: {word: common for word, common in words.items() if word not in gone}
            for initial, words in self._usage.words_by_initial.items()
        }

    def has(self, name: str) -> bool:
        """Whether any variable bears a name that is not left out."""
        return self._count(name) > 0


class _File(NamedTuple):
    facts: FileFacts
    contexts: dict[int, tuple[Context, ...]]
    source: SourceText
    good: frozenset[int]


def read_package(folder: Path) -> list[_File]:
    """The files of a package, each once."""
    found, seen = [], set()
    for path in sorted(folder.rglob("*.py")):
        data = path.read_bytes()
        digest = hashlib.sha256(data).digest()
        if digest in seen:
            continue
        seen.add(digest)
        try:
            parsed = parse(data)
        except UnreadableSource:
            continue
        contexts = read_contexts(parsed).by_binding
        bindings = range(len(parsed.facts.bindings))
        good = frozenset(each for each in bindings if is_learned_from(parsed.facts, each))
        found.append(_File(parsed.facts, contexts, parsed.source, good))
    return found


def own_scopes(facts: FileFacts) -> dict[int, int]:
    """The inner scope of each function and class that stands in none, by its number."""
    scopes = {each.name_start: each.inner_scope for each in facts.definitions}
    found = {}
    for binding, record in enumerate(facts.bindings):
        if record.references and facts.scopes[record.scope].kind in (ScopeKind.MODULE, ScopeKind.CLASS):
            inner = scopes.get(facts.references[record.references[0]].start)
            if inner is not None:
                found[binding] = inner
    return found


def function_of(facts: FileFacts, binding: int) -> int:
    """The outermost function around a variable, 0 for none."""
    owner = facts.owner(facts.bindings[binding].scope)
    functions = [each for each in facts.ancestors(owner) if facts.scopes[each].kind is ScopeKind.FUNCTION]
    return functions[-1] if functions else 0


def _name(file: _File, binding: int) -> str:
    return file.facts.bindings[binding].name.strip("_")


def count(usage: ProjectUsage, file: _File, binding: int) -> None:
    """Count one variable, function or class."""
    keys = keys_of(file.facts, binding, file.contexts.get(binding, ()), file.good.__contains__)
    is_function = sort_of(file.facts.roles(binding)) is Sort.FUNCTION
    for name in names_counted(file.facts.bindings[binding].name, is_function=is_function):
        usage.add(name, keys)


def short_form(name: str, chance: random.Random) -> str:
    """A short form as people write them: skeletons, cut words, initials, one letter, at times any letter."""
    words = split_name(name)
    how = chance.choice(("skeleton", "cut", "cut", "initials", "letter"))
    if how == "skeleton":
        return "_".join(map(skeleton, words))
    if how == "cut":
        return "_".join(word[:_SHORT_LENGTH] for word in words)
    if how == "initials" and len(words) > 1:
        return "".join(word[0] for word in words)
    # Some letters are just the next one that was free.
    letters = [words[0][0], words[-1][0]]
    return chance.choice(_ANY_LETTERS if chance.random() < _SHARE_OF_ANY_LETTERS else letters)


@dataclass(frozen=True)
class _Package:
    """The files of a package, its usage, and where its functions are: a place is the number of a file and that of
    the function's scope in it."""

    files: list[_File]
    usage: ProjectUsage
    variables: dict[_Place, list[int]]
    definitions: dict[_Place, int]
    alike: Callable[[_Place], set[_Place]]


def _know(folder: Path) -> _Package:
    files = read_package(folder)
    usage = ProjectUsage()
    variables: dict[_Place, list[int]] = defaultdict(list)
    definitions: dict[_Place, int] = {}
    for number, file in enumerate(files):
        own = own_scopes(file.facts)
        for binding in sorted(file.good):
            count(usage, file, binding)
            if binding in own:
                definitions[number, own[binding]] = binding
            elif function := function_of(file.facts, binding):
                variables[number, function].append(binding)

    # Copies of a function, and those of its name in the same file, such as overloads.
    copies: dict[str, set[_Place]] = defaultdict(set)
    namesakes: dict[tuple[int, str], set[_Place]] = defaultdict(set)

    def marks_of(place: _Place) -> tuple[str, tuple[int, str]]:
        number, function = place
        scope = files[number].facts.scopes[function]
        code = files[number].source.text[scope.start : scope.end]
        digest = hashlib.sha256("".join(code.split()).encode("utf-8", "surrogatepass")).hexdigest()
        return digest, (number, scope.name)

    for place in {**variables, **definitions}:
        digest, name = marks_of(place)
        copies[digest].add(place)
        namesakes[name].add(place)

    def alike(place: _Place) -> set[_Place]:
        digest, name = marks_of(place)
        return copies[digest] | namesakes[name]

    return _Package(files, usage, variables, definitions, alike)


def hidden_names(
    folder: Path, n_cases: int, seed: int = 1, settings: tuple[str, ...] = SETTINGS, sort: Sort = Sort.VARIABLE
) -> Iterator[Hidden]:
    """Names of a package for one sort of thing, drawn at random, in each of the settings."""
    chance = random.Random(seed)
    package = _know(folder)
    all_words = package.usage.word_counts
    if sort is Sort.VARIABLE:
        named = [(place, each) for place, bindings in package.variables.items() for each in bindings]
    else:
        named = list(package.definitions.items())
    askable = [(place, each) for place, each in named if _is_asked(package.files[place[0]].facts, each, sort)]
    chance.shuffle(askable)
    for place, binding in askable[:n_cases]:
        left_out = ProjectUsage()
        for alike in sorted(package.alike(place)):
            file = package.files[alike[0]]
            for each in package.variables[alike]:
                count(left_out, file, each)
            if alike in package.definitions and sort is not Sort.VARIABLE:
                count(left_out, file, package.definitions[alike])
        project = Without(package.usage, left_out, all_words)
        file = package.files[place[0]]
        # What a class has inside is told by its methods, and not by their variables.
        beside = package.variables[place] if sort is not Sort.CLASS else []
        yield from (_hide(file, beside, binding, setting, project, chance) for setting in settings)


def _hide(
    file: _File, beside: list[int], binding: int, setting: str, project: Usage, chance: random.Random
) -> Hidden:
    """What is asked when one variable of a function is hidden, of the variables `beside`."""
    facts = file.facts
    name = _name(file, binding)
    masked = {binding, *beside} if setting in SETTINGS[:2] else {binding}
    contexts = file.contexts.get(binding, ())
    roles = facts.roles(binding)
    sort = sort_of(roles)
    features = features_of(facts, binding, contexts, (file.good - masked).__contains__)
    if sort is not Sort.VARIABLE:
        features.append(results_of(facts.bindings[binding].name))
    case = NameCase(
        short_form(name, chance) if setting == "short form" else "",
        tuple(features),
        tuple(remarks_on(file.source, facts, binding)) if sort is Sort.VARIABLE else (),
        facts.scopes[facts.owner(facts.bindings[binding].scope)].name,
        Role.PARAMETER in roles,
        bool(roles & {Role.LOOP, Role.EACH}),
        sort,
    )
    # What others can see may not be called as anything else of its file, as `zephyrun names` has it, too.
    siblings = frozenset(facts.bindings[each].name for each in beside if each not in masked)
    siblings = siblings if sort is Sort.VARIABLE else frozenset(facts.names)
    known = ProjectUsage() if setting == "nothing to go by" else project
    return Hidden(setting, case, name, siblings - {name}, known)


def _is_asked(facts: FileFacts, binding: int, sort: Sort) -> bool:
    name = facts.bindings[binding].name
    if sort is not Sort.VARIABLE:
        is_test = name.lower().startswith("test")
        return sort_of(facts.roles(binding)) is sort and len(name.strip("_")) > _CONVENTIONAL_LENGTH and not is_test
    return len(name.strip("_")) > _CONVENTIONAL_LENGTH and name.islower() and len(facts.bindings[binding].references) > 1


def candidates_for(hidden: Hidden) -> list[Candidate]:
    """What may be answered."""
    found = candidates_of(hidden.case, (shipped_usage(), hidden.project))
    return [each for each in found if each.text not in hidden.siblings]


def ask(folder: Path, n_cases: int, sort: Sort) -> list[tuple[str, bool, int, float]]:
    """For each hidden name of a package: the setting, whether it is a parameter, the place of the right answer
    (0 for none, from 1), and the score of the first."""
    answers = []
    for hidden in hidden_names(folder, n_cases, sort=sort):
        ranked = rank(hidden.case, candidates_for(hidden), (shipped_usage(), hidden.project))
        texts = [each.candidate.text for each in ranked[:_AMONG]]
        place = texts.index(hidden.answer) + 1 if hidden.answer in texts else 0
        answers.append((hidden.setting, hidden.case.is_parameter, place, ranked[0].score if ranked else 0.0))
    return answers


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("sources", type=Path)
    parser.add_argument("--packages", default="report", help="a group of sources.toml (default: report)")
    parser.add_argument("--cases", type=int, default=800, help="for each package (default: 800)")
    parser.add_argument("--sort", type=Sort, action="append", help="variable, function or class (default: all)")
    arguments = parser.parse_args()
    names = tomllib.loads((HERE / "sources.toml").read_text())[arguments.packages]
    folders = [arguments.sources / name for name in names]
    for sort in arguments.sort or list(Sort):
        with ProcessPoolExecutor() as workers:
            asked = partial(ask, n_cases=arguments.cases, sort=sort)
            answers = dict(zip(names, workers.map(asked, folders)))
        for setting in SETTINGS:
            chosen = {name: [each for each in found if each[0] == setting] for name, found in answers.items()}
            _print(f"{sort}, {setting}", chosen)


def _print(setting: str, answers: dict[str, list[tuple[str, bool, int, float]]]) -> None:
    together = [each for found in answers.values() for each in found]
    print(f"\n{setting}: {len(together)} names")
    parameters = [each for each in together if each[1]]
    rows = dict(answers)
    if parameters:
        rows |= {"locals": [each for each in together if not each[1]], "parameters": parameters}
    rows["together"] = together
    for label, found in rows.items():
        n = len(found) or 1
        sure = [each for each in found if each[3] >= _SURE]
        exact = sum(each[2] == 1 for each in sure)
        print(
            f"  {label:<14} exact {sum(each[2] == 1 for each in found) / n:6.1%}"
            f"   among five {sum(each[2] > 0 for each in found) / n:6.1%}"
            f"   scored .5 or more {len(sure) / n:6.1%}, of these exact {exact / (len(sure) or 1):6.1%}"
        )
    print("  by score: " + "  ".join(_calibration(together)))


def _calibration(answers: list[tuple[str, bool, int, float]]) -> Iterator[str]:
    bins: dict[int, list[bool]] = defaultdict(list)
    for _, _, place, score in answers:
        bins[int(score * _TENTHS)].append(place == 1)
    for tenth in sorted(bins):
        yield f".{tenth}: {sum(bins[tenth]) / len(bins[tenth]):.0%} of {len(bins[tenth])}"


if __name__ == "__main__":
    main()
