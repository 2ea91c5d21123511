"""A small adviser that needs no network and always says the same: for trying `--adviser`, and for tests.

    zephyrun propose . --adviser "python -m zephyrun.commands.stand_in_adviser words.txt"

The file has one name a line with what to call it, such as `w weight`; anything else is left without an answer.
"""

from __future__ import annotations

import json
import sys
from pathlib import Path


def main() -> int:
    """Answer the questions on standard input."""
    if len(sys.argv) != len(["program", "words"]):
        print("usage: python -m zephyrun.commands.stand_in_adviser WORDS", file=sys.stderr)
        return 2
    lines = (line.split() for line in Path(sys.argv[1]).read_text("utf-8").splitlines())
    names = {old: new for old, *new in lines if new}
    for line in sys.stdin:
        question = json.loads(line)
        if new := names.get(question["name"]):
            answer = {"id": question["id"], "names": [{"name": each, "why": "it is in the list"} for each in new]}
            print(json.dumps(answer), flush=True)
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
