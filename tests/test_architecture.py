"""The house: what each room may know, and that the core is silent."""

import ast
import subprocess
import sys
from functools import cache

from tests.helpers import PROJECT

PACKAGE = PROJECT / "src" / "zephyrun"
FILES = sorted(path for path in PACKAGE.rglob("*.py") if "apiary" not in path.parts)

# Each room may import the rooms before it, but for what is struck out below.
ROOMS = (
    "patterns", "errors", "source", "facts", "link_facts", "fences", "languages", "layout", "linking", "proof",
    "project", "naming", "findings", "changes", "plan", "decisions", "journal", "reports", "commands",
)
STRUCK_OUT = {
    "source": {"errors"},
    "layout": {"errors"},
    "proof": {"errors", "layout", "fences"},
    "project": {"proof"},
    "naming": {"proof", "project"},
    "findings": {"project"},
    "changes": {"findings", "project", "naming"},
}


def room_of(module: str) -> str:
    """The room in which a module of ours lies; "" for none."""
    parts = module.split(".")
    return parts[1] if parts[0] == "zephyrun" and len(parts) > 1 else ""


@cache
def nodes_of(path):
    """What a file consists of."""
    return list(ast.walk(ast.parse(path.read_bytes())))


def imports_of(path):
    """Every module that a file imports, wherever in it."""
    for node in nodes_of(path):
        if isinstance(node, ast.Import):
            yield from (alias.name for alias in node.names)
        elif isinstance(node, ast.ImportFrom):
            assert not node.level, f"{path}: relative import"
            yield from (f"{node.module}.{alias.name}" for alias in node.names)


def knows_too_much(path):
    """The rooms of which a file knows and may not."""
    room = path.relative_to(PACKAGE).with_suffix("").parts[0]
    if room in ("__init__", "__main__"):
        return set()
    allowed = {*ROOMS[: ROOMS.index(room) + 1], "__version__"} - STRUCK_OUT.get(room, set())
    return {room_of(name) for name in imports_of(path)} - {""} - allowed


def speaks(path):
    """By what a file prints, prompts, exits or starts programs, which is for `commands`."""
    if "commands" in path.parts or path.name == "__main__.py":
        return set()
    called = {node.func.id for node in nodes_of(path) if isinstance(node, ast.Call) and isinstance(node.func, ast.Name)}
    allowed = {"subprocess"} if path.name == "repository.py" else set()
    loud = {"subprocess", "argparse", "rich.console", "importlib"} & set(imports_of(path))
    return (called & {"print", "input", "exit", "breakpoint", "exec", "eval"}) | (loud - allowed)


def test_rooms_know_only_the_rooms_beneath_them():
    """Data flows one way; above all, the proof does not know who makes the changes. No room but `commands` speaks."""
    assert {path.name: found for path in FILES if (found := knows_too_much(path) | speaks(path))} == {}


def test_starting_up_loads_no_library():
    """`zephyrun --version` costs the interpreter and a little more."""
    code = "import sys, zephyrun.commands; print(*{m.split('.')[0] for m in sys.modules})"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert not {"rich", "tomlkit", "pathspec", "subprocess", "concurrent"} & set(done.stdout.split())


def test_our_own_code_is_a_model():
    """Zephyrun finds nothing to better in itself."""
    done = subprocess.run(
        [sys.executable, "-m", "zephyrun", "survey", "src", "tests", "benchmarks"],
        cwd=PROJECT, capture_output=True, text=True, check=True,
    )
    assert "\n0 findings in " in done.stdout, done.stdout


def test_types_hold():
    """The type checker agrees, in its strict mode."""
    done = subprocess.run([sys.executable, "-m", "mypy"], cwd=PROJECT, capture_output=True, text=True)
    assert done.returncode == 0, done.stdout
