"""What a device printed before it was started this time: its objects are made anew when somebody looks at them."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any


class Earlier:
    """Files that the device printed in an earlier life, in the folder of files of a workshop: a name there is the
    SHA-256 of what is in it.
    """

    def __init__(self, folder: Path | None) -> None:
        self._folder = folder
        self._known: dict[int, tuple[str, Any]] = {}

    def remember(self, number: int, name: str, holder: Any) -> None:
        """Object `number` was made of that file with what was in the holder. ValueError for what is no such name."""
        if not re.fullmatch(r"[0-9a-f]{64}", name):
            raise ValueError("a file is named by its SHA-256")
        self._known[number] = name, holder

    def find(self, number: int) -> tuple[bytes, Any] | None:
        """The file of an object and what was in the holder; None where nobody knows."""
        if self._folder is None or number not in self._known:
            return None
        name, holder = self._known[number]
        try:
            return (self._folder / name[:2] / name).read_bytes(), holder
        except OSError:
            return None
