"""The process that sends: `python -m drumbo.links.printing FOLDER`, with the folder of a run.

It is small and knows nothing of the application: no database, no pages, none of the scientific packages. Whatever
happens, also to itself, ends in the same closing: heaters off, read back, said in the journal.
"""

from __future__ import annotations

import sys
from pathlib import Path

from drumbo.core.run import RunState
from drumbo.links.errands import look_after, look_around
from drumbo.links.journal import Journal
from drumbo.links.orders import Orders
from drumbo.links.runs import HAND, LOOK, OFF, PACKAGE, RunOrder
from drumbo.links.sending import Sending
from drumbo.links.session import HandSession


def main(folder: Path) -> None:
    """Do a run's job."""
    orders, journal, job = Orders(folder), Journal(folder), RunOrder.read(folder)
    journal.note(total=job.total, now=True)
    try:
        if job.kind == PACKAGE:
            from drumbo.links.package import print_package  # noqa: PLC0415 - HTTP is more than G-code needs

            print_package(folder, job, journal, orders)
        elif job.kind == OFF:
            look_after(job, journal)
        elif job.kind == LOOK:
            look_around(job, journal, orders)
        elif job.kind == HAND:
            HandSession(folder, job, journal, orders).run()
        else:
            Sending(folder, job, journal, orders).run()
    except BaseException as error:
        journal.note(
            state=RunState.FAILED, message=f"Drumbo itself failed ({type(error).__name__}: {error}).", now=True
        )
        raise
    finally:
        journal.close()


if __name__ == "__main__":
    main(Path(sys.argv[1]))
