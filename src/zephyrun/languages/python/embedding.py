"""Python that does not stand in plain modules: stubs, extension sources, scripts without an ending,
the cells of notebooks. It is read, at a glance at least, and never edited."""

from __future__ import annotations

from zephyrun.patterns import lazy_pattern


_STUB = ".pyi"
_NOTEBOOK = ".ipynb"
_CODE = (_STUB, ".pyx", ".pxd", ".pxi")
_SCRIPT = lazy_pattern(rb"#![^\r\n]*\bpython")
# Lines that only notebooks understand.
_MAGIC_LINE = lazy_pattern(r"(?m)^([ \t]*)[%!?].*$")


def is_stub(path: str) -> bool:
    """Whether a file only declares what a module holds."""
    return path.endswith(_STUB)


def code_in(path: str, data: bytes) -> bytes | None:
    """The Python code in a file that is no plain module; `None` where there is none.

    It need not be code that the interpreter reads: extension sources are a language of their own.
    """
    if path.endswith(_NOTEBOOK):
        return _code_of_notebook(data)
    if path.endswith(_CODE) or _SCRIPT.match(data):
        return data
    return None


def _code_of_notebook(data: bytes) -> bytes | None:
    """The code cells one after another; `None` for what is no notebook after all."""
    # Imported here: few projects hold notebooks, and start-up should stay fast.
    import json

    try:
        cells = json.loads(data)["cells"]
        sources = [cell["source"] for cell in cells if cell["cell_type"] == "code"]
        texts = [source if isinstance(source, str) else "".join(source) for source in sources]
    except (ValueError, KeyError, TypeError, RecursionError):
        return None
    code = _MAGIC_LINE.sub(r"\1pass", "\n".join(texts))
    return code.encode("utf-8", "surrogatepass")
