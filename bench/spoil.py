"""Good files spoilt as cables, disks and strangers spoil them: the same random numbers, the same damage."""

from __future__ import annotations

import io
import re
import zipfile
from random import Random

LONG_RUNS = (b" ", b"1", b",", b"1,", b"a=", b"\t", b"vertex ", b"-", b"(", b"[", b"\x00", b"G1 X", b"9" * 20 + b" ")
NUMBERS = (b"1e400", b"-1e400", b"nan", b"Infinity", b"9" * 400, b"-0", b"1e-400", b"9223372036854775808", b"0", b"-1")
_DIGITS = re.compile(rb"-?\d+\.?\d*")


def spoilt(rng: Random, data: bytes) -> bytes:
    """A good file, one to four times spoilt."""
    for _ in range(rng.randint(1, 4)):
        data = rng.choice((_flip, _cut, _doubled, _run, _number))(rng, data)
    return data


def _flip(rng: Random, data: bytes) -> bytes:
    changed = bytearray(data)
    for _ in range(rng.randint(1, 20)):
        if changed:
            changed[rng.randrange(len(changed))] = rng.randrange(256)
    return bytes(changed)


def _cut(rng: Random, data: bytes) -> bytes:
    a, b = sorted(rng.randrange(len(data) + 1) for _ in range(2))
    return rng.choice((data[:a], data[a:], data[:a] + data[b:]))


def _doubled(rng: Random, data: bytes) -> bytes:
    a = rng.randrange(len(data) + 1)
    return data[:a] + data[a : a + rng.randint(1, 2000)] * rng.randint(1, 50) + data[a:]


def _run(rng: Random, data: bytes) -> bytes:
    a = rng.randrange(len(data) + 1)
    return data[:a] + rng.choice(LONG_RUNS) * rng.choice((50, 2_000, 100_000)) + data[a:]


def _number(rng: Random, data: bytes) -> bytes:
    places = list(_DIGITS.finditer(data[:200_000]))
    if not places:
        return data
    found = rng.choice(places)
    return data[: found.start()] + rng.choice(NUMBERS) + data[found.end() :]


def respoilt(rng: Random, data: bytes) -> bytes:
    """A zip with one of its files spoilt, or the zip itself."""
    if rng.random() < 0.4:
        return spoilt(rng, data)
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(data)) as old, zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as new:
        hurt = rng.choice(old.namelist())
        for name in old.namelist():
            new.writestr(name, spoilt(rng, old.read(name)) if name == hurt else old.read(name))
        if rng.random() < 0.2:
            new.writestr(rng.choice(("../out", "/etc/x", "a" * 300, "layers/\x01.png")), b"x")
    return out.getvalue()


def zipped(name: str, data: bytes) -> bytes:
    """A zip of one file."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as bundle:
        bundle.writestr(name, data)
    return out.getvalue()
