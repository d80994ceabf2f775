"""The values as a table."""

from drumbo.exchange.exporters.exporter import Exporter, Outgoing
from drumbo.exchange.table import profile_csv


def _write(out: Outgoing) -> bytes:
    return profile_csv(out.profile).encode()


EXPORTER = Exporter("table", "Table", "A line a value, for a spreadsheet.", "csv", "text/csv", _write, place=3)
