"""The README tells the truth: its files, its commands and what they print."""

import os
import re
import shlex

from tests.helpers import PROJECT, zephyrun

README = PROJECT / "README.md"
BLOCK = re.compile(r"(?ms)^```(python|console)(?: (\S+))?\n(.*?)^```$")


def played_through(folder):
    """The README as it would read when each of its files and commands is taken at its word.

    The first time that a file is shown it is written, afterwards it is read; the file as it was first
    is kept as `before.py`.
    """

    def play(match):
        language, name, body = match.groups()
        if language == "python":
            path = folder / name
            if not path.exists():
                path.write_text(body)
                (folder / "before.py").write_text(body) if name == "harvest.py" else None
            return f"```python {name}\n{path.read_text()}```"
        lines = []
        for command in re.findall(r"(?m)^\$ (.*)$", body):
            program, *words = shlex.split(command)
            assert program == "zephyrun"
            done = zephyrun(*words, cwd=folder, code=None)
            lines += [f"$ {command}", *done.stdout.splitlines(), *done.stderr.splitlines(), ""]
        return "```console\n" + "\n".join(lines[:-1]) + "\n```"

    return BLOCK.sub(play, README.read_text("utf-8"))


def test_what_the_readme_shows_is_what_happens(tmp_path):
    """Every file, command and output; `ZEPHYRUN_ACCEPT=1` writes the README anew."""
    played = played_through(tmp_path)
    if os.environ.get("ZEPHYRUN_ACCEPT"):
        README.write_text(played, "utf-8")
    assert played == README.read_text("utf-8")


def test_links_and_tables_are_complete():
    """Every local link leads somewhere; every command and kind stands in its table."""
    from zephyrun.commands import COMMANDS
    from zephyrun.findings import KINDS

    for document in (README, PROJECT / "CONTRIBUTING.md", *(PROJECT / "docs").glob("*.md")):
        for target in re.findall(r"\]\(([^)#:]+)\)", document.read_text("utf-8")):
            assert (document.parent / target).exists(), f"{document.name}: {target}"
    text = README.read_text("utf-8")
    assert all(f"| `zephyrun {command}" in text for command in COMMANDS)
    assert all(f"| `{kind}` |" in text for kind in KINDS)


def test_the_set_up_commands_are_those_that_run():
    """`.ci/run` calls what the README says."""
    command = re.search(r"(?m)^python3 -m venv .*pytest$", README.read_text("utf-8"))[0]
    assert command in (PROJECT / ".ci" / "run").read_text()
