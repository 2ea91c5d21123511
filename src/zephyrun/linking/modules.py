"""The dotted names of modules, and what their files show of how they are loaded."""

from __future__ import annotations

from collections.abc import Collection
from pathlib import PurePosixPath

from zephyrun.patterns import lazy_pattern

PACKAGE_MARK = "__init__.py"
# It begins with a fixed word, which is what makes a search of every file cheap.
STAR = lazy_pattern(rb"import(?:\s|\\)*\(?\s*\*")
# Few files hold any of these words, by which modules are loaded or found while the program runs.
LOADING_WORDS = (b"import_module", b"__import__", b"load_module", b"module_from_spec", b"sys.modules")
# The same under another name or as a value, and what gives all loaded modules under another name.
LOADING_IN_DISGUISE = (
    rb"(?<!\bimport )(?<!\bdef )\b(?:import_module|__import__|load_module|module_from_spec)\s*"
    rb"(?:[,)\]}\r\n;#:]|\b(?:if|or|and|for|else)\b)|"
    rb"\b(?:import_module|__import__)\s+as\b|"
    rb"\bfrom\s+sys\s+import\s*(?:\([^)]*|[^\n(]*)\bmodules\b|\(\s*sys\s*,\s*[\"']modules\b"
)
# The name of a module that is written out, or the own one of the module with something behind it.
_WRITTEN_NAME = rb"(?:[\"'][\w.]+[\"']|__name__(?:\s*\+\s*[\"'][\w.]+[\"'])?)"
# What puts something among the loaded modules under a name that is worked out, that of the module itself aside.
_PUT_UNDER_ANY_NAME = lazy_pattern(
    rb"modules\s*(?:\[(?!\s*%b\s*\])[^\]\n]*\]\s*=(?!=)|\.\s*(?:(?:setdefault|__setitem__)\s*\((?!\s*%b\s*,)|update\s*\())"
    % (_WRITTEN_NAME, _WRITTEN_NAME)
)
_PUT_UNDER_WRITTEN_NAME = lazy_pattern(
    rb"modules\s*(?:\[|\.\s*(?:setdefault|__setitem__)\s*\()\s*(__name__\s*\+\s*)?[\"']([\w.]+)[\"']\s*(?:\]\s*=(?!=)|,)"
)
TEST_FOLDERS = frozenset({"test", "tests", "testing"})


def folder_of(path: str) -> str:
    """The folder of a relative path, "" for that in which all lie."""
    return path.rpartition("/")[0]


def is_python(path: str) -> bool:
    """Whether a file is Python source by its name."""
    return path.endswith((".py", ".pyw"))


def packages_around(module: str) -> list[str]:
    """The dotted names of the packages that a module lies in, the outermost first."""
    parts = module.split(".")
    return [".".join(parts[:count]) for count in range(1, len(parts))]


def module_name(path: str, import_roots: Collection[str]) -> str:
    """The dotted name of the module at `path`, looked up in the longest import root above it."""
    root = folder_of(path)
    while root and root not in import_roots:
        root = folder_of(root)
    parts = path[len(root) :].lstrip("/").split("/")
    name, dot, ending = parts[-1].rpartition(".")
    if name and ending:
        parts[-1] = name
    if parts[-1] == "__init__":
        parts.pop()
    return ".".join(parts)


def is_private_module(dotted: str) -> bool:
    """Whether a module's dotted name has a part that begins with an underscore."""
    return any(part.startswith("_") for part in dotted.split("."))


def imports_everything(data: bytes) -> bool:
    """Whether a file seems to import everything from some module."""
    return STAR.search(data) is not None


def is_test(path: str) -> bool:
    """Whether a file is a test, or belongs to tests, by its name and folders."""
    pure = PurePosixPath(path)
    name = pure.stem
    is_named_so = name.startswith("test_") or name.endswith("_test") or name in ("conftest", "tests")
    return is_named_so or not TEST_FOLDERS.isdisjoint(pure.parts[:-1])


def names_put_among_modules(data: bytes, module: str) -> set[str]:
    """The names under which the file of a module puts something among the loaded ones, where they are written out."""
    return {module * bool(own) + name.decode() for own, name in _PUT_UNDER_WRITTEN_NAME.findall(data)}


def puts_modules_anywhere(data: bytes) -> bool:
    """Whether a file puts something among the loaded modules under a name that is worked out, at a glance."""
    return _PUT_UNDER_ANY_NAME.search(data) is not None
