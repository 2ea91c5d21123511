"""The command line: the only room that prints, prompts or exits.

`main(argv)` returns the exit code. One module a command; each is imported only when it is called,
so that start-up stays fast.
"""

from __future__ import annotations

import argparse
import gc
import importlib
import os
import sys
from collections.abc import Sequence

from zephyrun import __version__
from zephyrun.errors import UserError

# As `typing` has it, of which the import alone would be a tenth of start-up.
TYPE_CHECKING = False
if TYPE_CHECKING:
    from typing import NoReturn

# How often the collector of cycles looks through objects: by how many are made, and by its own rounds.
_SELDOM = (100_000, 50, 100)
OK, NOT_SO, WRONG_CALL, NO_VERDICT, OWN_FAULT, INTERRUPTED = 0, 1, 2, 3, 70, 130

# Each command, in the order in which a newcomer meets it, with one line of help.
COMMANDS = {
    "demo": "a tour of everything on a sample project",
    "survey": "what is hard to read, worst first, and why it matters",
    "habits": "how the project's code stands on the page, and where it is divided",
    "settle": "settle the layout in one go, as the project has it elsewhere",
    "propose": "write a clean-up plan that you can read and edit",
    "apply": "carry out a plan; every step is proved before it is written",
    "names": "what else a variable could be called, and what speaks for it",
    "glossary": "the words of a project, what they mean, and which stand for one another",
    "rename": "give one thing another name, wherever it is referred to, and prove it",
    "references": "every place where a name stands, and what it does there",
    "verify": "do two versions do the same?",
    "undo": "take the latest change back, to the byte",
}


def main(argv: Sequence[str]) -> int:
    """Run one command. Never raises, but for `SystemExit` with the code 0 or 2 on `--help` and
    on calls that cannot be read."""
    try:
        arguments = _parser(argv).parse_args(argv)
        return int(arguments.run(arguments))
    except UserError as problem:
        print(f"zephyrun: {problem}", file=sys.stderr)
        return WRONG_CALL
    except BrokenPipeError:
        # The reader of our output has gone (`| head`): there is nobody left to tell.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return OK
    except KeyboardInterrupt:
        print("zephyrun: interrupted", file=sys.stderr)
        return INTERRUPTED
    except Exception as fault:
        print(f"zephyrun: {_log_fault(fault)}", file=sys.stderr)
        return OWN_FAULT


def run() -> NoReturn:
    """The console script."""
    for stream in (sys.stdout, sys.stderr):
        # Names in sources may hold what a narrow terminal encoding cannot show.
        if hasattr(stream, "reconfigure"):
            stream.reconfigure(errors="backslashreplace")
    # Trees and facts hold no cycles, and the collector would go through them again and again.
    gc.set_threshold(*_SELDOM)
    sys.exit(main(sys.argv[1:]))


def _parser(argv: Sequence[str]) -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="zephyrun",
        description="Makes inherited Python code easier to read, and proves that it still does the same.",
        epilog="Start with: zephyrun demo",
        allow_abbrev=False,
    )
    parser.add_argument("--version", action="version", version=f"zephyrun {__version__}")
    # With `prog` given, none has to be worked out from a usage text first.
    subparsers = parser.add_subparsers(prog=parser.prog, metavar="COMMAND", required=True)
    called = next((word for word in argv if not word.startswith("-")), "")
    for name, summary in COMMANDS.items():
        sentence = summary[0].upper() + summary[1:] + ("" if summary.endswith("?") else ".")
        subparser = subparsers.add_parser(name, help=summary, description=sentence, allow_abbrev=False)
        if name == called:
            module = importlib.import_module(f"zephyrun.commands.{name}")
            module.add_arguments(subparser)
            subparser.set_defaults(run=module.run)
    return parser


def _log_fault(fault: Exception) -> str:
    """Write the details of a fault of our own to a file; the sentence to show."""
    import tempfile
    import traceback

    with tempfile.NamedTemporaryFile(
        "w", prefix="zephyrun-fault-", suffix=".log", delete=False, encoding="utf-8", errors="replace"
    ) as log:
        log.write(f"zephyrun {__version__}, Python {sys.version}\n")
        log.write("".join(traceback.format_exception(fault)))
    return f"a fault of our own ({type(fault).__name__}); please report it with {log.name}"
