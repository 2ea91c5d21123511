"""Bad inputs by the hundred: one clear sentence, a sensible exit code, and not a byte lost."""

import contextlib
import io
import random

import pytest

from tests.helpers import REAL_MODULES, real_source
from zephyrun.commands import main

CODE = b"def season(hive):\n    w = hive.weight\n    return w * 365\n"
PLAN = b"""schema = "zephyrun.plan/1"
root = "."
[files]
"log.py" = "sha256:%s"
[[step]]
id = "s001"
action = "rename"
path = "log.py"
scope = "log.season"
old = "w"
new = "weight"
accept = true
"""
SCRAPS = [
    b"(", b")", b"[", b"}", b"'", b'"""', b"f'{", b"\\", b"\r", b"\t", b"\x0c", b"\xef\xbb\xbf", b"\x00", b"\xff",
    b"\xe2\x80\xa8", b":=", b"lambda", b"async ", b"await ", b"*", b"**", b"@", b"# coding: utf-7\n", b"print ",
    b"0777", b"`x`", b"<>", b"exec 'x'\n", b"class C:\n", b"    ", b"=", b"...", b"->", b"match x:\n case y:\n",
    b"global w\n", b"nonlocal w\n", b"del w\n", b"\xc3\xbc", b"1e999", b"0x", b"\"\"\"", b"[[step]]\n", b"= [", b"\n[",
]


def run(*words):
    """Exit code, standard output and error output of a command, run in this process."""
    output, errors = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(output), contextlib.redirect_stderr(errors):
        try:
            code = main([str(word) for word in words])
        except SystemExit as ended:
            code = ended.code
    return code, output.getvalue(), errors.getvalue()


def spoilt(data: bytes, dice: random.Random) -> bytes:
    """The bytes with up to three scraps put in or pieces cut out."""
    for _ in range(dice.randrange(1, 4)):
        place = dice.randrange(len(data) + 1)
        if dice.random() < 0.6:
            data = data[:place] + dice.choice(SCRAPS) + data[place:]
        else:
            data = data[:place] + data[place + dice.randrange(1, 12) :]
    return data


def check(code, output, errors, allowed):
    """No traceback, no fault of our own; where something is wrong, one sentence says so."""
    assert code in allowed, (code, errors)
    assert "Traceback" not in errors and "fault of our own" not in errors
    if code == 2:
        assert output == "" and errors.strip().startswith(("zephyrun: ", "usage: "))


@pytest.mark.parametrize("seed", range(120))
def test_sources(tmp_path, monkeypatch, seed):
    """Bytes, syntax and depth: surveyed, proposed, applied, compared."""
    monkeypatch.chdir(tmp_path)
    dice = random.Random(seed)
    lines = real_source(dice.choice(REAL_MODULES)).splitlines(keepends=True)
    first = dice.randrange(len(lines))
    source = CODE if dice.random() < 0.3 else b"".join(lines[first : first + 60])
    data = dice.choice([spoilt(source, dice), b"(" * 3000, b"x" + b"[0]" * 30_000, b"if x:\n" * 200, bytes(range(256))]
                       if dice.random() < 0.2 else [spoilt(source, dice)])
    (tmp_path / "log.py").write_bytes(data)
    (tmp_path / "old.py").write_bytes(source)
    check(*run("survey", "log.py"), {0})
    check(*run("propose", "log.py", "--output", "cleanup.toml"), {0})
    check(*run("apply", "cleanup.toml"), {0, 1})
    check(*run("verify", "old.py", "log.py"), {0, 1, 3})
    code, _, _ = run("undo")
    assert code in (0, 1) and (tmp_path / "log.py").read_bytes() == data


@pytest.mark.parametrize("seed", range(120))
def test_plans(tmp_path, monkeypatch, seed):
    """Spoilt plans are refused as a whole or step by step; the file is as it was or as it should be."""
    import hashlib

    monkeypatch.chdir(tmp_path)
    dice = random.Random(seed)
    (tmp_path / "log.py").write_bytes(CODE)
    (tmp_path / "cleanup.toml").write_bytes(spoilt(PLAN % hashlib.sha256(CODE).hexdigest().encode(), dice))
    check(*run("apply", "cleanup.toml"), {0, 1, 2})
    data = (tmp_path / "log.py").read_bytes()
    if data != CODE:
        check(*run("undo"), {0})
        assert (tmp_path / "log.py").read_bytes() == CODE


@pytest.mark.parametrize("seed", range(60))
def test_settings_and_decisions(tmp_path, monkeypatch, seed):
    """Spoilt settings and decisions are named with their file."""
    monkeypatch.chdir(tmp_path)
    dice = random.Random(seed)
    texts = {
        "zephyrun.toml": b'leave_out = ["old/*"]\nimport_roots = ["src"]\n',
        "zephyrun-decisions.toml": b'schema = "zephyrun.decisions/1"\n[[declined]]\nfinding = "k3f9"\n'
        b'[[note]]\nfinding = "a"\ntext = "b"\n',
        "pyproject.toml": b"[tool.zephyrun]\nleave_out = []\n",
    }
    name = dice.choice(list(texts))
    (tmp_path / "log.py").write_bytes(CODE)
    (tmp_path / name).write_bytes(spoilt(texts[name], dice))
    code, output, errors = run("survey", "log.py")
    check(code, output, errors, {0, 2})
    assert code == 0 or name in errors


PATHS = [
    "", ".", "..", "/", "no/where", "log.py/", "log.py/x", "-", "--", "a\nb", "x" * 5000, "\udcff", "~", "*.py", "log.txt",
    "folder.py", "loop", "nul\0", "/dev/null", "/proc/self/mem", "CON", "é", "log.py:3:5",
]


@pytest.mark.parametrize("path", PATHS, ids=lambda path: repr(path[:20]))
def test_paths(tmp_path, monkeypatch, path):
    """Whatever is given as a path, to whichever command."""
    project = tmp_path / "project"
    (project / "folder.py").mkdir(parents=True)
    monkeypatch.chdir(project)
    (project / "log.py").write_bytes(CODE)
    (project / "log.txt").write_bytes(CODE)
    (project / "loop").symlink_to("loop")
    (project / "zephyrun.toml").touch()
    if path not in ("/", ".."):
        check(*run("survey", path), {0, 2})
        check(*run("verify", path, "log.py"), {0, 1, 2, 3})
        check(*run("propose", path, "--output", "x.toml"), {0, 2})
    check(*run("apply", path), {2})
    check(*run("undo", path), {0, 1, 2})
    if not path.startswith("/"):
        check(*run("propose", "log.py", "--output", path), {0, 2})
    assert (project / "log.py").read_bytes() == CODE
