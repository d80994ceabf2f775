"""The changeover trial."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from drumbo.core.errors import InvalidInput
from drumbo.core.pair import FIRST, SECOND
from drumbo.core.piece import Piece, union
from drumbo.core.profile import Value
from drumbo.core.sure import half_90
from drumbo.core.toolpath import PrintSettings, Toolpath
from drumbo.sight.rectify import View
from drumbo.trials.base import Context
from drumbo.trials.changeover import fields
from drumbo.trials.changeover.plan import ROW_MM, Plan
from drumbo.trials.pictures import Spread
from drumbo.trials.readings import Measure, PhotoMarks, PhotoReading, Readings, Site, Step, ToRead
from drumbo.trials.result import MORE, Result
from drumbo.trials.toolkit.of_two import KindOfTwo
from drumbo.trials.toolkit.roads import check_bed, foot_mm, on_bed, usual_settings
from drumbo.trials.toolkit.wider import holding

USUAL_MM = 150
NEAR_END = 0.88
"""Of the field: what is clean only there may not be clean at all."""
PLACE_MM, SHARE, UNLIKE = 2.0, 0.07, 2.0
"""A place is read to within so much; and where one sees the last of it, to within such a share. Two
readings that are so many errors apart are told as unlike."""
NAMES = ("first to second", "second to first")
CORNERS = (
    "front left corner of the front field", "front right corner of the front field",
    "back right corner of the back field", "back left corner of the back field",
)  # fmt: skip


class Changeover(KindOfTwo[Plan]):
    """Two fields, each begun right after a change of filament."""

    slug = "changeover"
    plan_type = Plan
    title = "Changeover"
    sets = ("purge_there_mm", "purge_back_mm")
    group = "flow"
    asks_at = "most_mm"
    purges = False
    step_unit = ""
    called = "fields"
    about = (
        "Two fields of one line each, begun right after a change of filament, with millimetres of filament in digits "
        "beside them, and a stripe of the pure colour along all rows. Where a field is as clean as its stripe is how "
        "much a change needs: not a guess, and different each way."
    )
    few = "At each field, type the millimetres from which only the new colour is left; or let a photo tell."

    def hindered(self, context: Context) -> str | None:
        """Where each has a nozzle of its own, nothing mixes."""
        if context.printer.by_nozzles:
            return f"On {context.printer.name} each material has a nozzle of its own: nothing has to be purged."
        return super().hindered(context)

    def suggest(self, context: Context) -> Plan:
        """As long as most pairs need; with as much fan as the less cooled one of the two has."""
        fans = [context.profile.number("fan_percent")]
        fans += [context.other.number("fan_percent")] if context.other is not None else []
        return Plan(most_mm=USUAL_MM, fan_percent=min(fans))

    def check(self, plan: Plan, context: Context) -> dict[str, str]:
        """Refuse fields that have no room, and a printer that would have to run too hot or has a nozzle for each."""
        if context.printer.by_nozzles:
            raise InvalidInput("most_mm", f"has no use: {context.printer.name} has a nozzle for each material")
        hottest = max(context.profile.number("nozzle_c"), self.partner(context).number("nozzle_c"))
        if hottest > context.printer.nozzle_max_c:
            raise InvalidInput("most_mm", f"one of the two wants {hottest:g} °C, more than the printer may run")
        if plan.most_mm % fields.DIGITS_MM:
            raise InvalidInput("most_mm", f"goes in steps of {fields.DIGITS_MM} mm, as the digits do")
        wide, deep = fields.size(self._fields(plan, context))
        check_bed("most_mm", context.printer, wide + 8, deep + 8)
        return {}

    def _settings(self, plan: Plan, context: Context) -> tuple[PrintSettings, PrintSettings]:
        first, second = usual_settings(context), self.second_settings(context)
        fan = plan.fan_percent / 100
        plain: dict[str, Any] = {
            "fan": fan,
            "fan_short": fan,
            "fan_bridge": fan,
            "fan_overhang": 0.0,
            "layer_time_min_s": 0.0,
        }
        # Rows must count filament, so both lie in the same layers.
        return (
            replace(first, **plain),
            replace(second, layer_mm=first.layer_mm, first_layer_mm=first.first_layer_mm, raise_mm=first.raise_mm,
                    width_mm=first.width_mm, **plain),
        )  # fmt: skip

    def _fields(self, plan: Plan, context: Context) -> tuple[fields.RowField, fields.RowField]:
        return fields.layout(self._settings(plan, context), plan.most_mm // ROW_MM)

    def steps(self, plan: Plan) -> tuple[Step, ...]:
        """The two ways."""
        del plan
        return tuple(Step(i, float(i), name) for i, name in enumerate(NAMES))

    def piece(self, plan: Plan, context: Context) -> Piece:
        """The fields on their bases."""
        settings = self._settings(plan, context)[0]
        return fields.piece(
            self._fields(plan, context), self.steps(plan), settings.first_layer_mm, settings.layer_mm
        )  # fmt: skip

    def roads(self, plan: Plan, context: Context, piece: Piece) -> Toolpath:
        """Bases as the profile prints; then each field with its own material's settings and temperature."""
        del piece
        made, settings = self._fields(plan, context), self._settings(plan, context)
        first = replace(settings[0], purge=True, skirt_loops=0)
        solid = union(part.solid for part in fields.base(made, first.first_layer_mm))
        heats = (self.partner(context).number("nozzle_c"), context.profile.number("nozzle_c"))
        changes = [
            self.change(context, foot_mm(first, layer + 1), tool, name, nozzle_c=heat)
            for layer, (tool, heat, name) in enumerate(zip((SECOND, FIRST), heats, NAMES, strict=True))
        ]
        return on_bed(solid, context, first, strokes=fields.strokes(made, settings), overrides=changes)

    def change_layers(self, plan: Plan, context: Context) -> tuple[int, ...]:
        """Before each field."""
        del plan, context
        return 2, 3

    def readings(self, plan: Plan) -> ToRead:
        """One number a field."""
        return ToRead(measures=(
            Measure("clean", "Clean from", "mm", (Site("here", "here"),), 0, plan.most_mm, 0, "eye",
                    "The millimetres from which rows look like the stripe beside them: digits count 30, bars 10. Look "
                    "under a lamp, from the end back; nought where it is clean at once. A photo tells it too: lay "
                    "the piece on white paper, add the photo, open it and choose “Read this photo”."),
        ))  # fmt: skip

    def photo_marks(self, plan: Plan, context: Context) -> PhotoMarks:
        """The outermost corners of both bases."""
        places = fields.corners(self._fields(plan, context))
        return PhotoMarks(tuple((name, *at) for name, at in zip(CORNERS, places, strict=True)))

    def read_photo(self, plan: Plan, context: Context, view: View) -> tuple[PhotoReading, ...]:
        """From where each field is clean; its whole length where it is not."""
        from drumbo.trials.changeover.seen import found_in  # noqa: PLC0415 - only who has a photo needs it

        made = self._fields(plan, context)
        most = float(plan.most_mm)
        labels = context.material.colour_hex, self.partner(context).material.colour_hex
        return tuple(
            PhotoReading("clean", k, "here", most if found.clean_mm is None else min(round(found.clean_mm, 1), most),
                         round(found.sd_mm or SHARE * most, 2))
            for k, found in enumerate(found_in(view, made, fields.left(made), labels))
        )  # fmt: skip

    def evaluate(self, plan: Plan, readings: Readings) -> Result:
        """Each way its own; the number shown is the larger one."""
        found = [_both(self.slug, readings, k) for k in range(2)]
        if found[0] is None or found[1] is None:
            return Result("few", says="Read both fields; each way has its own length.")
        (there, error, odd), (back, back_error, odd_back) = found[0], found[1]
        errors = [error, back_error]
        late = [NAMES[k] for k, value in enumerate((there, back)) if value >= NEAR_END * plan.most_mm]
        more = min(plan.most_mm + 60, 240)
        extend = replace(plan, most_mm=more).to_json() if late and more > plan.most_mm else None
        words = (
            f"It is clean only at the end of a field ({' and '.join(late)}): print a longer one." if late
            else f"Push {there:.0f} mm from the first to the second, {back:.0f} mm back."
        )  # fmt: skip
        dearer = "" if abs(there - back) < half_90(max(errors)) else (
            "Going back takes more: plan the order so that it changes that way less often." if back > there
            else "Going there takes more: plan the order so that it changes that way less often."
        )  # fmt: skip
        return Result(
            "edge" if late else "good", there, errors[0], max(there - half_90(errors[0]), 0.0),
            there + half_90(errors[0]), words, tuple(word for word in (odd, odd_back, dearer) if word),
            spreads=_spreads((there, back), errors), also={"back": back, "back_error": errors[1]},
            extend=extend, extend_says="Plan longer fields", beyond=MORE if NAMES[0] in late else "",
        )  # fmt: skip

    def changes(self, plan: Plan, result: Result, context: Context, trial: int) -> dict[str, Value]:
        """Both ways."""
        del plan, context
        if result.value is None or result.also is None:
            return {}
        origin = self.origin(trial)
        return {
            "purge_there_mm": Value(float(round(result.value)), origin, result.error),
            "purge_back_mm": Value(float(round(result.also["back"])), origin, result.also["back_error"]),
        }

    def overrides(self, plan: Plan) -> dict[str, str]:
        """The fan; each material has its own temperature."""
        return {"fan_percent": f"{plan.fan_percent:g}"}

    def in_words(self, plan: Plan) -> str:
        """How far it goes."""
        return f"Two fields, each with {plan.most_mm} mm of filament, begun right after a change."

    def instructions(self, plan: Plan, context: Context) -> str:
        """Two changes, without purging."""
        del plan
        if context.other is None:
            return ""
        if context.printer.by_feeder:
            return self.loading(context) + (
                "Switch off what the printer purges by itself at a change: what comes then is what this trial is about."
            )
        other, first = context.other.name, context.material.name
        return (
            f"It pauses twice. At the first pause change to {other}, at the second back to {first}, and do not purge: "
            "as soon as it comes out, go on. What comes then is what this trial is about."
        )


def _both(slug: str, readings: Readings, field: int) -> tuple[float, float, str] | None:
    """What eye and photo tell of a field together, mm: a number, its error and what is odd about it; None where neither
    tells anything.
    """
    told = []
    if (seen := readings.measured("clean", field, "here")) is not None:
        told.append((seen, holding(slug, (PLACE_MM**2 + (SHARE * seen) ** 2) ** 0.5)))
    if (photo := readings.by_photo("clean", field, "here")) is not None:
        told.append((photo[0], holding(f"{slug}: by photo", photo[1])))
    if not told:
        return None
    weights = [1 / error**2 for _, error in told]
    value = sum(weight * one for weight, (one, _) in zip(weights, told, strict=True)) / sum(weights)
    # Two that are farther apart than their errors say know less than they think.
    apart = abs(told[0][0] - told[-1][0]) / sum(one**2 for _, one in told) ** 0.5
    words = "" if apart < UNLIKE else (
        f"{NAMES[field].capitalize()} you read {told[0][0]:g} mm and the photo says {told[-1][0]:.0f} mm: look "
        "again, or mark its corners again."
    )  # fmt: skip
    return value, sum(weights) ** -0.5 * max(1.0, apart), words


def _spreads(values: Sequence[float], errors: Sequence[float]) -> tuple[Spread, ...]:
    return tuple(
        Spread(name.capitalize(), "mm", 0, (("read", value, True),), value, error)
        for name, value, error in zip(NAMES, values, errors, strict=True)
    )
