"""Which file of a new tree is one of the old tree that lies elsewhere now."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping

from zephyrun.linking.linkage import Content, Linkage
from zephyrun.linking.modules import is_python
from zephyrun.linking.usage import Target, TargetSort
from zephyrun.patterns import lazy_pattern

# How much of its words a file must share with another one to be that one, moved and changed.
_ALIKE = 0.6
_WORDS = lazy_pattern(rb"\w+|[^\w\s]")
# More pairs than this are told by their content alone.
_MOST_PAIRS = 2_500


def find_moved(old: Mapping[str, Content], new: Mapping[str, Content]) -> dict[str, str]:
    """The new path of each Python file that only the old tree has under its path, where one of the files
    that only the new tree has seems to be it. A guess."""
    gone = sorted(path for path in old.keys() - new.keys() if is_python(path) and isinstance(old[path], bytes))
    come = sorted(path for path in new.keys() - old.keys() if is_python(path) and isinstance(new[path], bytes))
    found: dict[str, str] = {}
    for _, path, new_path in sorted(_likely(old, new, gone, come), key=lambda each: (-each[0], each[1:])):
        if path not in found and new_path not in found.values():
            found[path] = new_path
    return found


def _likely(
    old: Mapping[str, Content], new: Mapping[str, Content], gone: list[str], come: list[str]
) -> Iterator[tuple[float, str, str]]:
    """Pairs of files that may be one, with how likely that is: the more they share, and the more of their
    paths, the likelier."""
    reads_all = len(gone) * len(come) <= _MOST_PAIRS
    words = {data: _words(data) for data in (*map(old.get, gone), *map(new.get, come)) if reads_all}
    for path in gone:
        for new_path in come:
            before, after = old[path], new[new_path]
            alike = _share(words[before], words[after]) if reads_all else float(before == after)
            if alike >= _ALIKE:
                parts, new_parts = path.split("/"), new_path.split("/")
                n_kept = sum(one == other for one, other in zip(reversed(parts), reversed(new_parts)))
                n_kept += sum(one == other for one, other in zip(parts, new_parts))
                yield alike + n_kept, path, new_path


def _words(data: Content | None) -> Counter[bytes]:
    return Counter(_WORDS.findall(data)) if isinstance(data, bytes) else Counter()


def _share(one: Counter[bytes], other: Counter[bytes]) -> float:
    return (one & other).total() / max((one | other).total(), 1)


def renamed_modules(before: Linkage, after: Linkage, moved: Mapping[str, str]) -> dict[str, tuple[Target, str]]:
    """For each moved file by its old path, the module or package that has another name for that, with the last
    part of the name. A file that lies in another place altogether has none."""
    found = {}
    for path, new_path in moved.items():
        parts, new_parts = before.modules[path].split("."), after.modules[new_path].split(".")
        changed = [number for number, pair in enumerate(zip(parts, new_parts)) if pair[0] != pair[1]]
        if len(parts) == len(new_parts) and len(changed) == 1:
            dotted = ".".join(parts[: changed[0] + 1])
            target = Target(TargetSort.MODULE, before.find_module(dotted) or "", dotted)
            found[path] = target, new_parts[changed[0]]
    return found
