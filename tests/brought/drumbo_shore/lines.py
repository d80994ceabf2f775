"""A profile as lines of key = number."""

from drumbo.exchange.exporters.exporter import Exporter, Outgoing


def _write(out: Outgoing) -> bytes:
    return "".join(f"{key} = {value.number:g}\n" for key, value in out.profile.values.items()).encode()


EXPORTER = Exporter("lines", "Lines", "A line a value, for reading aloud.", "txt", "text/plain", _write)
