"""`make a11y`: the HTML of every page, held against the standard by a checker from npm that runs on Java."""

from __future__ import annotations

import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

from drumbo.demo.run import ARCHIVE
from drumbo.services.prints import PrintManager
from drumbo.store.archive import unpack
from drumbo.store.database import Workshop
from drumbo.web import create_app
from tests.e2e.every_page import OTHERS, PLANS, TRIALS

CHECKER = "vnu-jar@26.9.27"
"""Fetched when it is asked for: thirty megabytes that nothing else needs."""
OURS = ("hx-", "Attribute “hx")
"""What htmx adds to HTML on purpose."""


def main() -> int:
    """Prints what is wrong; 1 where anything is."""
    if shutil.which("java") is None:
        print("There is no Java here, so the HTML is not checked.")
        return 0
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        subprocess.run(
            ["npm", "install", "--no-save", "--no-audit", "--no-fund", "--silent", "--prefix", place, CHECKER],
            check=True,
        )
        jar = folder / "node_modules" / "vnu-jar" / "build" / "dist" / "vnu.jar"
        pages = _pages(folder)
        found = subprocess.run(
            ["java", "-jar", jar, "--errors-only", "--format", "gnu", *pages],
            capture_output=True,
            text=True,
            check=False,
        ).stderr.splitlines()
    wrong = [line for line in found if not any(word in line for word in OURS)]
    print("\n".join(wrong))
    print(f"{len(pages)} pages, {len(wrong)} errors.")
    return int(bool(wrong))


def _pages(folder: Path) -> list[Path]:
    """Every page of the demo's workshop as a file."""
    unpack(ARCHIVE, folder / "workshop")
    house = Workshop(folder / "workshop")
    room = PrintManager(house)
    client = create_app(house, room, secret="checked").test_client()
    pages = []
    for address in (*OTHERS, *TRIALS, *PLANS):
        path = folder / f"{address.replace('/', '_').replace('?', '_')}.html"
        answer = client.get(address)
        if answer.status_code >= 500:
            raise RuntimeError(f"{address} cannot be shown")
        path.write_bytes(answer.data)
        pages.append(path)
    room.close()
    house.close()
    return pages


if __name__ == "__main__":
    sys.exit(main())
