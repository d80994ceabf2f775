"""The `drumbo` command as it is typed."""

from __future__ import annotations

import gzip
import json
import os
import re
import signal
import socket
import subprocess
import sys
import time
import urllib.error
import urllib.request
from dataclasses import asdict
from pathlib import Path

import pytest
from click.testing import CliRunner

from drumbo.cli import main
from drumbo.cli.telling import MOST_BANDS
from drumbo.core.errors import NotNow
from drumbo.core.printer import Printer
from drumbo.exchange.meshes import read_part
from drumbo.exchange.profile_file import read_profile
from drumbo.services import profiles, workshop
from drumbo.standins.line.session import LineServer
from drumbo.standins.line.strict import StrictPrinter
from drumbo.store.database import Workshop
from drumbo.web.serving import run
from tests.conftest import LABEL, PATIENCE_S, Standin

SET = "--set hot_c=220 --set cold_c=200 --set step_c=10 --set step_mm=8".split()


def _run(*words: str, code: int = 0) -> str:
    done = CliRunner().invoke(main, list(words), catch_exceptions=False)
    assert done.exit_code == code, done.output
    return done.output


@pytest.fixture(scope="module")
def tower(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("pieces")
    _run("make-piece", "temperature", *SET, "--out", str(folder / "t.gcode"), "--mesh", str(folder / "t.stl"))
    return folder / "t.gcode"


def test_a_piece_is_made_and_checked(tower: Path) -> None:
    assert tower.with_suffix(".stl").stat().st_size > 10_000
    told = _run("check", str(tower))
    assert re.search(r"nozzle\s+200 °C from z 16\.8", told)
    assert "bad" not in told
    found = json.loads(_run("check", str(tower), "--json"))
    assert found["remarks"] == []
    assert [b["nozzle_c"] for b in found["bands"]] == [215, 210, 220, 210, 200]


def test_a_file_is_held_against_a_profile_by_command(tower: Path, tmp_path: Path) -> None:
    house = Workshop(tmp_path / "data")
    spool = workshop.save_material(house, LABEL)
    profiles.create(house, spool, workshop.save_printer(house, asdict(Printer("Petrel One"))), "chalk on Petrel One")
    house.close()
    at = ("--data", str(tmp_path / "data"), "check", str(tower), "--profile")
    told = _run(*at, "chalk on Petrel One", code=1)
    assert "the nozzle steps with height" in told
    assert re.search(r"time +[\d.]+ min, as on Petrel One", told)
    assert re.search(r"filament .* g at 1.24 g/cm³, € 0\.\d\d", told)
    assert re.search(r"outer walls +[\d.]+ min, [\d.]+ g", told)
    assert "there are: chalk on Petrel One" in _run(*at, "chalk", code=1)
    slower = tmp_path / "slower.gcode"
    slower.write_text(tower.read_text().replace("M220 S100", "M220 S50"))
    beside = _run(*at, "chalk on Petrel One", "--beside", str(slower), code=1)
    minutes = re.search(r"time +([\d.]+) min", told)
    assert minutes
    assert re.search(rf"^Time +{minutes[1]} and ", beside, re.M), "reckoned with the profile's printer there too"


def test_a_profile_is_written_as_a_file_by_command(tmp_path: Path) -> None:
    house = Workshop(tmp_path / "data")
    spool = workshop.save_material(house, LABEL)
    profiles.create(house, spool, workshop.save_printer(house, asdict(Printer("Petrel One"))), "chalk on Petrel One")
    house.close()
    at = ("--data", str(tmp_path / "data"), "export", "chalk on Petrel One", "--out")
    out = tmp_path / "chalk.json"
    assert str(out) in _run(*at, str(out))
    assert read_profile(out.read_bytes()).profile.name == "chalk on Petrel One"
    assert "No such file or directory" in _run(*at, str(tmp_path / "none" / "chalk.json"), code=1)
    assert "there are profile, " in _run(*at, str(out), "--as", "runes", code=1)
    assert "say which profile" in _run("--data", str(tmp_path / "data"), "export", code=2)
    assert re.search(r"^profile +\S", _run("export", "--list"), re.M)


def test_a_file_of_many_heats_and_hours_is_told_in_few_lines(tmp_path: Path) -> None:
    hot, long = tmp_path / "hot.gcode", tmp_path / "long.gcode"
    start = ["G28", "M83", "M109 S210"]
    hot.write_text("\n".join([*start, *(f"M104 S{210 + k % 2}\nG1 X{20 + k} Y50 Z{0.2 + 0.2 * k:.1f} E1 F900"
                                        for k in range(60))]))  # fmt: skip
    told = CliRunner().invoke(main, ["check", str(hot)]).output
    assert len(re.findall(r"^nozzle ", told, re.M)) == MOST_BANDS + 1
    assert f"nozzle        … and {60 - MOST_BANDS} more stretches" in told
    # Eleven metres, at one millimetre a second.
    long.write_text("\n".join([*start, *(f"G1 X{10 + 180 * (k % 2)} Y{k % 200} Z0.2 E9 F60" for k in range(60))]))
    assert re.search(r"^time          [2-5] h \d\d min, ", CliRunner().invoke(main, ["check", str(long)]).output, re.M)


def test_what_is_bad_ends_with_code_1(tower: Path, tmp_path: Path) -> None:
    hot = tmp_path / "hot.gcode"
    hot.write_text(tower.read_text().replace("M104 S0", "") + "M104 S200\n")
    assert "left at 200 °C" in _run("check", str(hot), code=1)
    hot.write_bytes(b"\x00\x01\x02")
    assert "Error: this is not a text file" in _run("check", str(hot), code=3)


def test_two_files_beside_each_other_by_command(tower: Path, tmp_path: Path) -> None:
    other = tmp_path / "other.gcode.gz"
    other.write_bytes(gzip.compress(tower.read_bytes()))
    assert "the same from the first command to the last" in _run("check", str(tower), "--beside", str(other))
    lines = tower.read_text().splitlines()
    at = next(k for k, line in enumerate(lines) if line.startswith("M140"))
    other.write_text("\n".join([*lines[:at], "M140 S31", *lines[at + 1 :]]))
    told = _run("check", str(tower), "--beside", str(other), code=1)
    assert f"They part after 0 moves: at line {at + 1} of the first, line {at + 1} of the second." in told
    found = json.loads(_run("check", str(tower), "--beside", str(other), "--json", code=1))
    assert found["parting"]["first_line"] == at + 1


def test_a_resin_piece_is_made_and_checked_by_command(tmp_path: Path) -> None:
    package, solid = tmp_path / "feet.zip", tmp_path / "feet.3mf"
    small = ("--screen", "1200x500x60", "--set", "feet=4", "--set", "step_s=6", "--set", "first_s=10")
    _run("make-piece", "bottom-feet", *small, "--out", str(package), "--mesh", str(solid))
    said = _run("check", str(package))
    assert "1200 × 500 pixels of 60 µm" in said
    assert "10 to 28 s on layers 1 to 5" in said
    assert read_part(solid.read_bytes()).volume() > 500
    assert "write it like 3840x2400x35" in _run("make-piece", "bottom-feet", "--screen", "big", "--out", "x", code=2)


def test_wrong_words_are_answered_in_one_line(tmp_path: Path) -> None:
    out = str(tmp_path / "x.gcode")
    assert "step_c: is below 1 °C" in _run("make-piece", "temperature", "--set", "step_c=0", "--out", out, code=1)
    assert "there are batch-check, bond-of-two, first-layer, temperature" in _run(
        "make-piece", "levitation", "--out", out, code=1
    )
    assert "has no field mood" in _run("make-piece", "temperature", "--set", "mood=good", "--out", out, code=2)
    assert not Path(out).exists()
    assert "hot_c" in _run("kinds")
    nowhere = str(tmp_path / "none" / "x.gcode")
    told = _run("make-piece", "temperature", *SET, "--out", nowhere, code=1)
    assert f"'{nowhere}': No such file or directory" in told


def test_print_follows_a_file_to_its_end(tower: Path, standin: Standin, tmp_path: Path) -> None:
    printing = ["--data", str(tmp_path), "print", str(tower), "--link"]
    told = _run(*printing, standin.link)
    assert "done 100%" in told
    assert "Heaters are off: the printer says so." in told
    assert "failed" in _run(*printing, "socket://127.0.0.1:1", code=1)
    assert "is no address of a printer" in _run(*printing, "spy://x?file=y", code=1)
    assert "Nothing is printing" in _run("--data", str(tmp_path), "stop")
    assert not list(tmp_path.glob("prints/*/file")), "copies of files are not kept"


def _is_hot(printer: StrictPrinter) -> bool:
    return printer.hot


@pytest.mark.parametrize("how", [signal.SIGTERM, signal.SIGHUP, signal.SIGINT, None])
def test_print_that_is_ended_leaves_no_printer_hot(how: int | None, tower: Path, tmp_path: Path) -> None:
    printer = StrictPrinter(heat_s=600.0)
    server = LineServer(printer)
    server.start()
    command = [sys.executable, "-m", "drumbo", "--data", str(tmp_path)]
    printing = subprocess.Popen(
        [*command, "print", str(tower), "--link", server.link],
        stdout=subprocess.PIPE,
        text=True,
        start_new_session=True,
    )
    until = time.monotonic() + PATIENCE_S
    while not _is_hot(printer):
        assert time.monotonic() < until
        time.sleep(0.02)
    if how is None:
        stopped = subprocess.run([*command, "stop"], capture_output=True, text=True, check=True)
        assert "the printer says so" in stopped.stdout
    else:
        os.killpg(printing.pid, how)
    assert "Heaters are off: the printer says so." in printing.communicate(timeout=PATIENCE_S)[0]
    assert printing.returncode == 1, "it did not print"
    assert not _is_hot(printer)
    server.close()


def test_a_taken_port_is_said_in_one_line(tmp_path: Path) -> None:
    with socket.create_server(("127.0.0.1", 0)) as taken, pytest.raises(NotNow, match="try --port 0"):
        run(tmp_path / "d", host="127.0.0.1", port=taken.getsockname()[1], say=lambda _: None)


def test_the_demo_fills_its_workshop_serves_it_and_leaves_nothing_running(tmp_path: Path) -> None:
    command = [sys.executable, "-m", "drumbo", "--data", str(tmp_path), "demo", "--port", "0"]
    demo = subprocess.Popen(
        command, stdout=subprocess.PIPE, text=True, env={**os.environ, "PYTHONUNBUFFERED": "1"}, start_new_session=True
    )
    assert demo.stdout is not None
    base = next(m[0] for line in demo.stdout if (m := re.search(r"http://127\.0\.0\.1:\d+", line)))
    bench = urllib.request.urlopen(base).read().decode()
    assert bench.count('class="spool-name"') == 8
    assert "On Petrel One" in bench, "a tower is in progress"
    assert "Read it" in bench
    evidence = urllib.request.urlopen(f"{base}/trials/1/read").read().decode()
    assert "Adopted, revision 2" in evidence
    assert "<image" in evidence
    link = re.search(r"socket://127\.0\.0\.1:(\d+)", urllib.request.urlopen(f"{base}/printers/1").read().decode())
    assert link is not None
    os.killpg(demo.pid, signal.SIGINT)
    assert "Petrel One: stopped; it confirms that." in demo.communicate(timeout=PATIENCE_S)[0]
    assert demo.returncode == 0
    with pytest.raises(urllib.error.URLError):
        urllib.request.urlopen(base)
    with pytest.raises(ConnectionRefusedError):
        socket.create_connection(("127.0.0.1", int(link[1])), timeout=2).close()


def test_a_workshop_goes_into_an_archive_and_back(tmp_path: Path) -> None:
    from drumbo.store.database import Workshop

    Workshop(tmp_path / "here").close()
    out = str(tmp_path / "all.zip")
    assert "the workshop with 0 files" in _run("--data", str(tmp_path / "here"), "archive", out)
    assert "start it with drumbo serve" in _run("--data", str(tmp_path / "there"), "unpack", out)
    assert (tmp_path / "there" / "drumbo.sqlite").exists()
    assert "holds a workshop already" in _run("--data", str(tmp_path / "there"), "unpack", out, code=1)
    assert "there is no workshop in" in _run("--data", str(tmp_path / "nowhere"), "archive", out, code=1)


def test_findings_as_sarif(tower: Path, tmp_path: Path) -> None:
    assert json.loads(_run("check", str(tower), "--sarif"))["runs"][0]["results"] == []
    hot = tmp_path / "hot one.gcode"
    hot.write_text(tower.read_text().replace("M104 S0", "") + "M104 S200\nM600\n")
    told = json.loads(_run("check", str(hot), "--sarif", code=1))
    assert told["version"] == "2.1.0"
    (run,) = told["runs"]
    left, pause = run["results"]
    last = len(hot.read_text().splitlines())
    assert (left["ruleId"], left["level"], pause["level"]) == ("left-on", "error", "warning")
    place = left["locations"][0]["physicalLocation"]
    assert place == {"artifactLocation": {"uri": "hot%20one.gcode"}, "region": {"startLine": last - 1}}
    rules = run["tool"]["driver"]["rules"]
    assert [rules[r["ruleIndex"]]["id"] for r in run["results"]] == ["left-on", "pauses"]
    assert all(len(rule["shortDescription"]["text"]) > 20 for rule in rules)


def test_a_wrong_call_and_a_dialect_that_nobody_knows(tower: Path) -> None:
    assert "name a file, or a folder" in _run("check", code=2)
    assert "not both" in _run("check", str(tower), "--json", "--sarif", code=2)
    assert "no dialect 'm1'; there are m900" in _run("check", str(tower), "--dialect", "m1", code=1)
    assert "words of the dialect m572" in _run("check", str(tower), "--dialect", "m572")


def test_files_that_arrive_in_a_folder_are_checked(tower: Path, tmp_path: Path) -> None:
    command = [sys.executable, "-m", "drumbo", "check", "--watch", str(tmp_path)]
    with subprocess.Popen(command, stdout=subprocess.PIPE, text=True) as watching:
        assert watching.stdout is not None
        try:
            assert "Watching" in watching.stdout.readline()
            (tmp_path / "good.gcode").write_bytes(tower.read_bytes())
            assert watching.stdout.readline() == "good.gcode: nothing that spoils a print\n"
            (tmp_path / "bad.gcode").write_bytes(b"\x00\x01")
            assert watching.stdout.readline() == "bad.gcode: cannot be read\n"
            (tmp_path / "notes.txt").write_text("not looked at")
            report = (tmp_path / "good.gcode.check.txt").read_text()
            assert "retraction" in report
            assert "cannot be read: this is not a text file" in (tmp_path / "bad.gcode.check.txt").read_text()
            (tmp_path / "good.gcode").write_bytes(tower.read_bytes() + b"M104 S200\n")
            assert watching.stdout.readline() == "good.gcode: something may spoil the print\n", (
                "checked again once changed"
            )
            assert sorted(file.name for file in tmp_path.iterdir()) == [
                "bad.gcode", "bad.gcode.check.txt", "good.gcode", "good.gcode.check.txt", "notes.txt"
            ]  # fmt: skip
        finally:
            watching.send_signal(signal.SIGINT)
            assert watching.wait(PATIENCE_S) == 0
