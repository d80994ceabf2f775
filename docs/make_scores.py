"""Pictures of what each score looks like, from the stand-in: `python docs/make_scores.py` writes them anew.

Of many storeys and pads that the stand-in prints, those whose score is nearest to a whole one are cut out: the part of
the piece that the score is about.
"""

from __future__ import annotations

import io
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from PIL import Image

from drumbo.core.families import family
from drumbo.core.material import Material
from drumbo.core.printer import Printer
from drumbo.core.profile import start
from drumbo.standins import eye
from drumbo.standins.filament.above import top_picture
from drumbo.standins.filament.bed import FLAT
from drumbo.standins.filament.camera import front_picture
from drumbo.standins.filament.geometry import geometry
from drumbo.standins.filament.interpreter import Machine
from drumbo.standins.filament.printing import PrintedObject, melt
from drumbo.standins.filament.spool import draw_spool
from drumbo.trials import kind
from drumbo.trials.base import Context, SomeKind

FOLDER = Path(__file__).parents[1] / "drumbo" / "web" / "static" / "scores"
FAMILIES, SEEDS = ("pla", "petg"), range(1, 7)
COLOUR, MARGIN_PX, WIDEST_PX = "#d9c8a0", 6, 320


@dataclass(frozen=True)
class Part:
    """The part of a step that a score is about: from where to where across it (across the whole picture where it is
    seen from the front) and down from its top, as shares; and how large it is drawn.
    """

    across: tuple[float, float] = (0.0, 1.0)
    down: tuple[float, float] = (0.0, 1.0)
    px_per_mm: float = 14.0


WHOLE, BAY, WING, FACE, TIP = Part(), Part((0.37, 0.73)), Part((0.75, 0.97)), Part((0.13, 0.39)), Part((0.45, 0.78))
BENDS = Part(down=(0.1, 0.33), px_per_mm=40.0)
SOURCES = {
    "temperature": {"bridge": BAY, "overhang": WING, "strings": BAY, "surface": FACE},
    "flow-surface": {"gaps": WHOLE, "ridges": WHOLE},
    "pressure-advance": {"bulges": BENDS, "thins": BENDS},
    "retraction-restart": {"start-gap": WHOLE, "start-blob": WHOLE},
    "fan-bands": {"tip": TIP},
}
NOT_SEEN = {("overhang", 0)}
"""What is so bad for an edge that curls up towards whoever looks: from the front it seems a good one."""


@dataclass(frozen=True)
class Found:
    """A place of a print whose score is `off` from a whole one, and how good the rest of it is: nothing else is to
    catch the eye.
    """

    off: float
    rest: float
    thing: PrintedObject
    box: eye.Box
    view: str

    def better(self, other: Found) -> bool:
        """Whether it shows its score more plainly."""
        return (round(self.off, 1), -self.rest) < (round(other.off, 1), -other.rest)


def context(key: str) -> Context:
    """A plain printer and a plain material."""
    kin = family(key)
    material = Material("", kin.name, kin.key, "sand", COLOUR, kin.nozzle_low_c, kin.nozzle_high_c,
                        density_g_cm3=kin.density_g_cm3)  # fmt: skip
    printer = Printer("a printer", nozzle_max_c=300)
    return Context(printer, material, start(kin.name, material, printer))


def looked_at(chosen: SomeKind, aspects: list[str]) -> dict[tuple[str, int], Found]:
    """The best place for each aspect and score."""
    best: dict[tuple[str, int], Found] = {}
    for key in FAMILIES:
        at = context(key)
        plan = chosen.suggest(at)
        device = Machine()
        for line in chosen.print_file(plan, at).gcode.splitlines():
            device.run(line)
        shape, piece = geometry(device.moves), chosen.piece(plan, at)
        boxes = [place.box(at.printer.bed_middle) for place in piece.places]
        for seed in SEEDS:
            thing = melt(shape, draw_spool(key, seed, at.printer.drive), bed=FLAT)
            scores = np.clip(eye.exact_scores(thing, boxes, aspects), 0, 4)
            for place, row in enumerate(scores):
                for aspect, score in zip(aspects, row.tolist(), strict=True):
                    found = Found(abs(score - round(score)), float(row.sum()) - score, thing, boxes[place], piece.view)
                    known = best.get((aspect, round(score)))
                    if known is None or found.better(known):
                        best[aspect, round(score)] = found
    return best


def picture(found: Found, part: Part) -> Image.Image:
    """The part of the place that the score is about."""
    from_above = found.view == "top"
    seen = top_picture if from_above else front_picture
    data, frame = seen(found.thing, COLOUR, part.px_per_mm)
    image = Image.open(io.BytesIO(data)).convert("RGB")
    (x0, *low), (x1, *high) = found.box
    up = 0 if from_above else 1
    box_left, box_right = (
        [(x - frame.left_mm) * frame.px_per_mm for x in (x0, x1)] if from_above else (0.0, float(image.width))
    )
    box_top, box_bottom = (image.height - (z - frame.bottom_mm) * frame.px_per_mm for z in (high[up], low[up]))
    left, right = (box_left + share * (box_right - box_left) for share in part.across)
    top, bottom = (box_top + share * (box_bottom - box_top) for share in part.down)
    cut = image.crop((
        max(round(left) - MARGIN_PX, 0), max(round(top) - MARGIN_PX, 0),
        min(round(right) + MARGIN_PX, image.width), min(round(bottom) + MARGIN_PX, image.height),
    ))  # fmt: skip
    cut.thumbnail((WIDEST_PX, WIDEST_PX))
    return cut


def main() -> None:
    """All of them."""
    FOLDER.mkdir(exist_ok=True)
    for old in FOLDER.glob("*.webp"):
        old.unlink()
    for slug, parts in SOURCES.items():
        for (aspect, score), found in sorted(looked_at(kind(slug), list(parts)).items(), key=lambda one: one[0]):
            if (aspect, score) in NOT_SEEN:
                continue
            picture(found, parts[aspect]).save(FOLDER / f"{aspect}-{score}.webp", quality=64, method=6)
            print(f"{aspect} {score}: off by {found.off:.2f}")


if __name__ == "__main__":
    main()
