"""The profile file: JSON that holds a profile with its origins, and what it is for. See docs/formats.md."""

from __future__ import annotations

import json
from dataclasses import asdict
from typing import Any

from drumbo.core.catalogue import BY_KEY
from drumbo.core.profile import Profile
from drumbo.core.workshop import Material, Printer

FORMAT = "drumbo-profile"
VERSION = 1


def profile_json(profile: Profile, revision: int, material: Material, printer: Printer) -> str:
    """The file's text. Link and G-code templates stay at home."""
    home = {"link_url", "camera_url", "start_gcode", "end_gcode", "notes"}
    values: dict[str, Any] = {}
    for key, value in profile.values.items():
        parameter = BY_KEY.get(key)
        values[key] = {
            **value.to_json(),
            "name": parameter.name if parameter else key,
            "unit": parameter.unit if parameter else "",
        }
    data = {
        "format": FORMAT,
        "version": VERSION,
        "name": profile.name,
        "revision": revision,
        "process": "filament",
        "printer": {k: v for k, v in asdict(printer).items() if k not in home},
        "material": asdict(material),
        "values": values,
    }
    return json.dumps(data, indent=2, ensure_ascii=False) + "\n"
