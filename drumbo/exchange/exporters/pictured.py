"""The profile file with pictures, as a zip."""

from drumbo.exchange.exporters.exporter import Exporter, Outgoing
from drumbo.exchange.profile_file import profile_json, profile_zip


def _write(out: Outgoing) -> bytes:
    text = profile_json(out.profile, out.revision, out.material, out.printer, out.evidence)
    return profile_zip(text, out.pictures())


EXPORTER = Exporter(
    "pictured", "With pictures", "The same, and what came off the bed.", "zip", "application/zip", _write, place=2
)
