"""Numbers with their nouns, singular and plural chosen by gettext."""

from __future__ import annotations

from gettext import ngettext


def counted(count: int, one: str, many: str = "") -> str:
    """A count with what is counted.

    >>> counted(1, "print"), counted(3, "print"), counted(2, "copy", "copies")
    ('1 print', '3 prints', '2 copies')
    """
    return f"{count} {ngettext(one, many or f'{one}s', count)}"
