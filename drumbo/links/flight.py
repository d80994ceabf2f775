"""Which lines are on their way to a printer, which it has taken, and what goes out next.

Every line has a number and a checksum, so a printer never takes a wrong, doubled or missing one: it asks for the one
that it expects. What may go wrong is only how many are in flight, as an `ok` may be lost or doubled. Therefore a mark,
a numbered `M105`, goes out among the lines every now and then. Its answer alone tells temperatures, so it is known for
what it is, and all that went before it has been dealt with. Two of them go first, each alone, and nothing else until
both are answered: a printer that asks for one of those numbers later has restarted.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Sequence
from dataclasses import dataclass
from functools import reduce
from operator import xor

from drumbo.links.lines import LineSource
from drumbo.links.words import Said

KEPT = 100
"""Lines that may be asked for again, counted back from the last one sent."""
MARK_EVERY = 32
MOST_BYTES = 120
"""In flight at once while nothing is known of a printer's buffer; the smallest hold 128."""
MOST_LINES = 16
MOST_TRIES = 25
INSISTS = 3
"""So often asked for, a mark is sent again though it seems to have been taken."""
OPENING_MARKS = CLOSING_MARKS = 2
AROUND = len("N1234567 *255\n")
MARK = "M105"


def numbered(number: int, text: str) -> bytes:
    """A line as it goes out.

    >>> numbered(0, "M110 N0")
    b'N0 M110 N0*125\\n'
    """
    body = f"N{number} {text}".encode("ascii", "replace")
    return body + b"*%d\n" % reduce(xor, body, 0)


@dataclass(frozen=True, slots=True)
class _Out:
    """A line in flight; `number` 0 has none."""

    number: int
    size: int
    mark: bool


class Flight:
    """Lines of `source`, sent as numbers from 1 on, marks among them."""

    def __init__(self, source: LineSource, *, plain_marks: bool = False) -> None:
        """`plain_marks` for a printer whose answer to a mark is like any other."""
        self._source = source
        self._plain_marks = plain_marks
        self._next_place = 0
        self._besides: deque[str] = deque()
        self._kept: deque[tuple[str, int]] = deque(maxlen=KEPT + MOST_LINES)
        self._last = 0
        self._at = 1
        self._waiting: deque[_Out] = deque()
        self._bytes = 0
        self._room = 1
        self._back_to: int | None = None
        self._probed = self._settling = self._careful = self._doubtful = False
        self._since_mark, self._mark_wanted, self._oks_at_mark = 0, True, 0
        self._acked = self._proven = self._tries = 0
        self._asked, self._asked_for = 0, 0
        self._ends: list[int] = []
        self.places = 0
        """Lines of the source that the printer has taken."""

    # -- what goes out

    @property
    def finished(self) -> bool:
        """Whether the printer has shown that it took every line: two marks behind the last one were answered, as the
        first answer might be another's, come late.
        """
        return len(self._ends) >= CLOSING_MARKS and self._ends[-1] <= self._proven

    @property
    def drawn(self) -> int:
        """How many lines of the source have been sent, or are about to be."""
        return self._next_place

    @property
    def _opens(self) -> bool:
        """Whether the printer has yet to show that it counts as it should."""
        return self._proven < OPENING_MARKS

    @property
    def waits(self) -> bool:
        """Whether an answer is due."""
        return bool(self._waiting)

    @property
    def holds(self) -> bool:
        """Whether nothing goes out until what is in flight was answered or the line is quiet."""
        return self._back_to is not None or self._settling

    @property
    def unanswered(self) -> list[str]:
        """What is in flight."""
        back = (self._last - out.number for out in self._waiting if out.number)
        return [self._kept[-1 - place][0] for place in back if 0 <= place < len(self._kept)]

    @property
    def latest(self) -> list[str]:
        """What was sent last, newest first: a printer may be moving as it says."""
        return [text for text, _ in list(self._kept)[: -2 * MOST_LINES - 1 : -1]]

    def batch(self) -> bytes:
        """All lines that may go out now."""
        out = []
        while self._may_send():
            out.append(self._one())
        return b"".join(out)

    def _may_send(self) -> bool:
        if self.holds:
            return False
        again = self._at <= self._last
        fresh = bool(self._besides) or self._next_place < len(self._source)
        if not self._waiting:
            # A closing mark goes out alone, so that its answer is not taken for another's.
            return again or fresh or not self.finished
        if self._opens or self._careful or not (again or fresh) or len(self._waiting) >= MOST_LINES:
            return False
        once_more = self._kept[self._at - self._last - 1][0] if again else ""
        if once_more.startswith(MARK) and any(out.mark for out in self._waiting):
            # Of two marks on their way, an answer that comes twice to the first would stand for the second.
            return False
        if len(self._waiting) < self._room:
            return True
        text = once_more or (self._besides[0] if self._besides else self._source[self._next_place])
        return self._bytes + len(text) + AROUND <= MOST_BYTES

    def _one(self) -> bytes:
        if self._at > self._last:
            self._fresh()
        text, _ = self._kept[self._at - self._last - 1]
        raw = numbered(self._at, text)
        self._put(_Out(self._at, len(raw), text.startswith(MARK)))
        self._at += 1
        return raw

    def _fresh(self) -> None:
        """The next line is drawn from the source, or a mark where one is due."""
        if self._opens:
            self._keep(MARK)
        elif self._besides:
            self._keep(self._besides.popleft())
        elif self._next_place >= len(self._source):
            self._ends.append(self._last + 1)
            self._keep(MARK)
        elif (self._mark_wanted or self._since_mark >= MARK_EVERY) and not any(out.mark for out in self._waiting):
            self._since_mark, self._mark_wanted = 0, False
            self._keep(MARK)
        else:
            text = self._source[self._next_place]
            self._next_place += 1
            self._since_mark += 1
            self._keep(text)

    def _keep(self, text: str) -> None:
        self._last += 1
        self._kept.append((text, self._next_place))

    def _put(self, out: _Out) -> None:
        self._waiting.append(out)
        self._bytes += out.size

    def add(self, lines: Sequence[str]) -> None:
        """Lines that go out next, besides the source's."""
        self._besides.extend(lines)

    def want_mark(self) -> None:
        """Have a mark go out soon: temperatures are wanted."""
        self._mark_wanted = True

    def probe(self, *, plain: bool) -> bytes:
        """A mark out of turn, after a silence: the last line sent may have been lost, or its answer. A `plain` one has
        no number, for a printer that lost count.
        """
        self._probed = True
        if plain:
            # From here on an answer may be this one's, so it proves nothing of lines with numbers.
            self._doubtful = True
            self._put(_Out(0, len(MARK) + 2, mark=True))
            return f"\n{MARK}\n".encode()
        if self._at > self._last:
            self._keep(MARK)
        return b"\n" + self._one()

    # -- what comes back

    def ok(self, said: Said) -> None:
        """The printer has dealt with a line."""
        if said.room is not None:
            self._room = min(max(said.room, 1), MOST_LINES)
        if said.number is not None and any(out.number == said.number for out in self._waiting):
            while self._waiting[0].number != said.number:
                self._taken(self._pop())
        if said.heats is not None or (self._plain_marks and self._waiting and self._waiting[0].mark):
            self._ok_of_a_mark()
        elif self._waiting and self._waiting[0].mark and self._oks_at_mark == 0:
            # One `ok` too many, or what it told besides was lost: the next one tells.
            self._oks_at_mark = 1
        elif self._waiting:
            self._taken(self._pop())

    def _ok_of_a_mark(self) -> None:
        if not any(out.mark for out in self._waiting):
            return
        while not (out := self._pop()).mark:
            self._taken(out)
        self._taken(out)
        if out.number and not self._doubtful and (self._back_to is None or out.number < self._back_to):
            self._proven = max(self._proven, out.number)
        if self._probed:
            self._probed, self._settling = False, True

    def _pop(self) -> _Out:
        out = self._waiting.popleft()
        self._bytes -= out.size
        self._oks_at_mark = 0
        return out

    def _taken(self, out: _Out) -> None:
        """A line was answered. Those from a refused one on were not taken, though they may be answered too."""
        if self._back_to is not None and out.number >= self._back_to:
            return
        self._careful = False
        if out.number <= self._acked:
            return
        self._acked, self._tries = out.number, 0
        back = self._last - out.number
        if back < len(self._kept):
            self.places = max(self.places, self._kept[-1 - back][1])

    def again(self, number: int | None) -> bool:
        """The printer wants to go on from `number`. False where it cannot mean that: a line that was never sent, that
        it has shown to have taken (unless it insists), or that went out too long ago.
        """
        if number is None or number > self._last + 1 or number <= max(self._last - KEPT, 0):
            return False
        if number <= self._proven and not self._insists(number):
            return False
        if self._back_to is None:
            self._tries += 1
        self._back_to = number
        return True

    def _insists(self, number: int) -> bool:
        """Whether the printer asks for a mark that it seems to have taken so often that it means it: an answer that
        came twice proves one mark too many. Then that proof is taken back. Only where nothing but marks would be sent
        once more: a printer that has restarted asks for old lines too, and must not get them.
        """
        self._asked = self._asked + 1 if number == self._asked_for else 1
        self._asked_for = number
        first, stop = number - self._last - 1, self._proven - self._last
        if self._asked < INSISTS or -first > len(self._kept) or (number <= OPENING_MARKS and not self._opens):
            return False
        if any(not self._kept[place][0].startswith(MARK) for place in range(first, stop)):
            return False
        self._proven, self._asked = number - 1, 0
        return True

    @property
    def proven(self) -> int:
        """The highest number that the printer has shown to have taken."""
        return self._proven

    @property
    def last(self) -> int:
        """The highest number that was sent."""
        return self._last

    @property
    def worn_out(self) -> bool:
        """Whether the same line was asked for too often."""
        return self._tries > MOST_TRIES

    @property
    def asked_for(self) -> str:
        """The line that the printer wants again."""
        back = self._last - (self._back_to or self._at)
        return self._kept[-1 - back][0] if 0 <= back < len(self._kept) else ""

    def settle(self) -> None:
        """All that was in flight is answered or lost; go on, one line first."""
        self._waiting.clear()
        self._bytes, self._oks_at_mark = 0, 0
        if self._back_to is not None:
            self._at, self._back_to = self._back_to, None
        self._settling, self._careful, self._doubtful = False, True, False
