"""The profile file."""

from drumbo.exchange.exporters.exporter import Exporter, Outgoing
from drumbo.exchange.profile_file import profile_json


def _write(out: Outgoing) -> bytes:
    return profile_json(out.profile, out.revision, out.material, out.printer, out.evidence).encode()


EXPORTER = Exporter(
    "profile", "Profile file", "Everything, with origins and what each trial said. A friend's Drumbo reads it.",
    "json", "application/json", _write, place=1,
)  # fmt: skip
