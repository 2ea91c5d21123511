"""Fetch the source that names are learned from and measured on.

    python benchmarks/names/fetch_sources.py SOURCES

Every package of `sources.toml` is downloaded as a wheel of just that version, without what it depends on, and its
Python files are unpacked below SOURCES, one folder a package. Nothing of it is run. Tests and other people's code
that a package carries along are left out.
"""

from __future__ import annotations

import argparse
import re
import subprocess
import sys
import tempfile
import tomllib
import zipfile
from pathlib import Path, PurePosixPath

HERE = Path(__file__).parent
_LEFT_OUT = frozenset("test tests testing _vendor vendor vendored external externals extern".split())
_TEST_FILE = re.compile(r"test_\w*\.py|conftest\.py|\w+_test\.py")


def fetch(name: str, version: str, folder: Path) -> int:
    """Download and unpack one package; the number of its files. Errors: `CalledProcessError`."""
    with tempfile.TemporaryDirectory() as downloads:
        wanted = f"{name.replace('_', '-')}=={version}"
        options = ("--no-deps", "--only-binary", ":all:", "--python-version", "3.11", "--quiet")
        command = [sys.executable, "-m", "pip", "download", *options, "-d", downloads, wanted]
        subprocess.run(command, check=True)
        (wheel,) = Path(downloads).glob("*.whl")
        return _unpack(wheel, folder / name)


def _unpack(wheel: Path, folder: Path) -> int:
    n_files = 0
    with zipfile.ZipFile(wheel) as archive:
        for inner in map(PurePosixPath, archive.namelist()):
            is_ours = inner.suffix == ".py" and not inner.is_absolute() and ".." not in inner.parts
            if is_ours and not _LEFT_OUT & set(inner.parts) and not _TEST_FILE.fullmatch(inner.name):
                path = folder / inner
                path.parent.mkdir(parents=True, exist_ok=True)
                path.write_bytes(archive.read(str(inner)))
                n_files += 1
    return n_files


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("sources", type=Path)
    arguments = parser.parse_args()
    for group, packages in tomllib.loads((HERE / "sources.toml").read_text()).items():
        for name, version in packages.items():
            if not (arguments.sources / name).exists():
                print(f"{group}: {name} {version}: {fetch(name, version, arguments.sources)} files", flush=True)


if __name__ == "__main__":
    main()
