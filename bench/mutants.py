"""Would the tests notice? Small faults are put into `drumbo/core` and `drumbo/trials`, one at a time in a copy of the
checkout, and the tests that have to do with that file are run on each: first those that name it, then, where those let
it pass, the contract of three kinds. A fault that all of them let pass survives.

    python bench/mutants.py [--seed N] [--sample N] [--show]

The faults are the operators of cosmic-ray that change a sum, a comparison, a number or a way through; see `OPERATORS`.
"""

from __future__ import annotations

import os
import random
import re
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from difflib import unified_diff
from pathlib import Path
from queue import Queue
from typing import Any

import click
from cosmic_ray.ast import ast_nodes, get_ast
from cosmic_ray.mutating import mutate_code
from cosmic_ray.plugins import get_operator

ROOT = Path(__file__).parents[1]
PARTS = ("drumbo/core", "drumbo/trials")
COPIED = ("drumbo", "tests", "bench", "pyproject.toml", "README.md", "docs", "Makefile", "CHANGELOG.md")
LONGEST_S = 240
CONTRACT, KNOWN, DOCS = "tests/trials/test_contract.py", "tests/trials/test_known.py", "tests/test_docs.py"
THREE_KINDS = "temperature or flow-surface or exposure-coupon"
OPERATORS = {
    "sums": (
        "ReplaceBinaryOperator_Add_Sub", "ReplaceBinaryOperator_Sub_Add", "ReplaceBinaryOperator_Mul_Div",
        "ReplaceBinaryOperator_Div_Mul", "ReplaceBinaryOperator_Pow_Mul", "ReplaceUnaryOperator_USub_UAdd",
    ),
    "comparisons": (
        "ReplaceComparisonOperator_Lt_GtE", "ReplaceComparisonOperator_LtE_Gt", "ReplaceComparisonOperator_Gt_LtE",
        "ReplaceComparisonOperator_GtE_Lt", "ReplaceComparisonOperator_Eq_NotEq",
        "ReplaceComparisonOperator_NotEq_Eq", "ReplaceComparisonOperator_Is_IsNot",
        "ReplaceComparisonOperator_IsNot_Is",
    ),
    "ways": (
        "ReplaceUnaryOperator_Delete_Not", "ReplaceAndWithOr", "ReplaceOrWithAnd", "ReplaceTrueWithFalse",
        "ReplaceFalseWithTrue", "ZeroIterationForLoop", "ReplaceBreakWithContinue",
    ),
    "numbers": ("NumberReplacer",),
}  # fmt: skip
"""By what they change; a sample has as many of each."""


@dataclass(frozen=True, slots=True)
class Mutant:
    """The `occurrence`-th place of a file at which an operator fits."""

    file: str
    operator: str
    occurrence: int


@dataclass(frozen=True, slots=True)
class Outcome:
    """What became of it, and the lines that it changed."""

    mutant: Mutant
    killed: bool
    diff: str


def mutants(seed: int, sample: int) -> list[Mutant]:
    """So many of all there could be: of every sort as many, drawn evenly, in a drawn order."""
    draw, files = random.Random(seed), [file for part in PARTS for file in sorted((ROOT / part).rglob("*.py"))]
    nodes = {file: list(ast_nodes(get_ast(file.read_text()))) for file in files}
    drawn: list[Mutant] = []
    for number, names in enumerate(OPERATORS.values()):
        every = [mutant for file in files for name in names for mutant in _of(file, nodes[file], name)]
        share = sample // len(OPERATORS) + (number < sample % len(OPERATORS))
        drawn += draw.sample(every, min(share, len(every)))
    draw.shuffle(drawn)
    return drawn


def _of(file: Path, nodes: list[Any], name: str) -> Iterator[Mutant]:
    """Every place but decorators: what they are told is no sum."""
    operator, lines = get_operator(f"core/{name}")(), file.read_text().splitlines()
    begins = [begin for node in nodes for begin, _ in operator.mutation_positions(node)]
    for k, (line, _) in enumerate(begins):
        if not lines[line - 1].lstrip().startswith("@"):
            yield Mutant(str(file.relative_to(ROOT)), f"core/{name}", k)


def tests_of(file: str) -> list[list[str]]:
    """What to run for a file, each stage where the ones before let it pass."""
    parts = Path(file).with_suffix("").parts
    module = ".".join(part for part in parts if part != "__init__")
    named = [str(test) for test in _tests() if _names(test.read_text(), module)]
    if parts[1] == "trials" and len(parts) > 3 and parts[2] != "toolkit":
        slug = parts[2].replace("_", "-")
        own = [str(test) for test in _tests() if re.search(rf"[\"']{slug}[\"']", test.read_text())]
        first = [CONTRACT, KNOWN, "-k", slug]
        return [first, own] if own else [first]
    broad = [CONTRACT, KNOWN, DOCS, "-k", f"{THREE_KINDS} or reference"]
    if parts[1] == "trials":
        return [["tests/trials", "--ignore", CONTRACT], broad]
    return [named, broad] if named else [["tests/core", "-k", parts[-1]], broad]


def _tests() -> list[Path]:
    below = ("core", "trials", "exchange")
    return [test.relative_to(ROOT) for part in below for test in sorted((ROOT / "tests" / part).rglob("test_*.py"))]


def _names(text: str, module: str) -> bool:
    package, _, last = module.rpartition(".")
    return module in text or re.search(rf"from {re.escape(package)} import .*\b{last}\b", text) is not None


def judged(mutant: Mutant, home: Path) -> Outcome:
    """Put it into a copy of the checkout, run the tests, take it out again."""
    path, good = home / mutant.file, (ROOT / mutant.file).read_text()
    bad = mutate_code(good, get_operator(mutant.operator)(), mutant.occurrence)
    lines = unified_diff(good.splitlines(), (bad or "").splitlines(), mutant.file, "", lineterm="", n=0)
    diff = "\n".join(line for line in lines if not line.startswith(("---", "+++")))
    path.write_text(bad or "")
    try:
        by = next((tests for tests in tests_of(mutant.file) if not _passes(tests, home)), None)
    finally:
        path.write_text(good)
    if by is not None and not _clean(tuple(by), home):
        raise click.ClickException(f"these fail without any fault: {' '.join(by)}")
    return Outcome(mutant, by is not None, diff)


_CLEAN: dict[tuple[str, ...], bool] = {}


def _clean(tests: tuple[str, ...], home: Path) -> bool:
    """Whether tests that noticed a fault pass without one: else they notice nothing."""
    if tests not in _CLEAN:
        _CLEAN[tests] = _passes(list(tests), home)
    return _CLEAN[tests]


def _passes(tests: list[str], home: Path) -> bool:
    command = [sys.executable, "-m", "pytest", "-x", "-q", "-p", "no:cacheprovider", *tests]
    own = {"PYTHONPATH": str(home), "NUMBA_CACHE_DIR": str(home / "compiled")}
    try:
        done = subprocess.run(
            command, cwd=home, env={**os.environ, **own}, capture_output=True, timeout=LONGEST_S, check=False
        )
    except subprocess.TimeoutExpired:
        return False
    return done.returncode in {0, 5}  # 5: no test has to do with it


def _copy(folder: Path) -> Path:
    for name in COPIED:
        source = ROOT / name
        if source.is_dir():
            shutil.copytree(source, folder / name, ignore=shutil.ignore_patterns("__pycache__", "*.png"))
        else:
            shutil.copy(source, folder / name)
    if (ROOT / ".cache" / "numba").exists():
        shutil.copytree(ROOT / ".cache" / "numba", folder / "compiled")
    return folder


@click.command()
@click.option("--seed", default=1, show_default=True)
@click.option("--sample", default=110, show_default=True)
@click.option("--at-once", default=2, show_default=True)
@click.option("--show", is_flag=True, help="Every survivor with the lines that it changed.")
def main(seed: int, sample: int, at_once: int, show: bool) -> None:
    """How many of a sample of faults the tests notice."""
    with tempfile.TemporaryDirectory() as folder, ThreadPoolExecutor(at_once) as pool:
        homes: Queue[Path] = Queue()
        for k in range(at_once):
            homes.put(_copy(Path(folder) / str(k)))

        def one(mutant: Mutant) -> Outcome:
            home = homes.get()
            try:
                return judged(mutant, home)
            finally:
                homes.put(home)

        killed = 0
        for n, outcome in enumerate(pool.map(one, mutants(seed, sample)), start=1):
            killed += outcome.killed
            if show and not outcome.killed:
                print(f"{outcome.mutant.file} {outcome.mutant.operator.removeprefix('core/')}\n{outcome.diff}\n")
            print(f"{killed} of {n} noticed", file=sys.stderr, flush=True)
        print(f"seed {seed}: {killed} of {n} faults noticed, {killed / n:.0%}")


if __name__ == "__main__":
    main()
