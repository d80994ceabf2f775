"""Templates are compiled once a machine, and not by every process anew."""

from __future__ import annotations

import contextlib
import os
from pathlib import Path
from pickle import UnpicklingError

from flask import Flask
from jinja2 import FileSystemBytecodeCache
from jinja2.bccache import Bucket

CACHE_FOLDER = "NUMBA_CACHE_DIR"
"""Where what was compiled lies already."""


BROKEN = (OSError, EOFError, UnpicklingError, ValueError, AttributeError, ImportError, IndexError)
"""What reading a file that a power cut left half written may raise."""


class _Kept(FileSystemBytecodeCache):
    """A page wants neither for a disk that has room nor for files that are whole: without them it is compiled anew."""

    def load_bytecode(self, bucket: Bucket) -> None:
        try:
            super().load_bytecode(bucket)
        except BROKEN:
            bucket.reset()

    def dump_bytecode(self, bucket: Bucket) -> None:
        with contextlib.suppress(OSError):
            super().dump_bytecode(bucket)


def keep_templates(app: Flask) -> None:
    """Beside the compiled loops, where there is a folder for those."""
    beside = os.environ.get(CACHE_FOLDER)
    if beside is None:
        return
    folder = Path(beside) / "templates"
    with contextlib.suppress(OSError):
        folder.mkdir(parents=True, exist_ok=True)
        app.jinja_env.bytecode_cache = _Kept(str(folder))
