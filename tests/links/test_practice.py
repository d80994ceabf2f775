"""Simulated printers as processes: started, talked to, switched off."""

from __future__ import annotations

import os
import signal

import pytest

from drumbo.links import practice
from drumbo.links.practice import answers, running, start_standin


def test_one_that_does_not_end_by_itself_is_ended(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(practice, "ENDS_S", 0.2)
    with running(start_standin(pace=60.0)) as device:
        assert answers(device.camera_url)
        # Held fast, it hears nothing that it is told.
        os.kill(device.process.pid, signal.SIGSTOP)
    assert device.process.returncode == -signal.SIGKILL
    assert not answers(device.camera_url)


def test_one_that_hears_ends_by_itself() -> None:
    with running(start_standin(pace=60.0)) as device:
        assert answers(device.camera_url)
    assert device.process.returncode == 0
