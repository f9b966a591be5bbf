"""Small wrong changes, one at a time: how many of them the tests of a room notice.

`./run mutants ROOM [COUNT] [SEED]`. Changes are sampled from all that can be made in the room's code: comparisons moved
by one or turned round, `and` for `or`, a `not` left out, a sum for a difference, a number one larger or, from ten on,
twice as large, a call left out.
Each is made in a copy of the repository, where those tests run that execute the changed line, the quickest first; what
they don't notice meets all the others that do, and what kills, cuts the power and pulls media at random. What no test
notices is shown; some of it means the same as before, and is counted all the same. Limits, which are numbers at
the head of a module that were chosen by measuring, are counted on their own: a little more of them is no mistake.
"""

from __future__ import annotations

import ast
import json
import os
import random
import shutil
import subprocess
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from queue import SimpleQueue
from typing import NamedTuple

ROOT = Path(__file__).parents[1]
TESTS = {
    "transfer": ("tests/transfer", "tests/cli", "tests/test_promises.py"),
    "doubles": ("tests/doubles", "tests/desk/test_doubles.py", "tests/desk/test_waiting.py",
                "tests/desk/test_known.py", "tests/transfer/test_one_capture.py",
                "tests/cli/test_doubles.py"),
    "captures": ("tests/captures", "tests/hearing", "tests/desk/test_deciding.py", "tests/desk/test_details.py",
                 "tests/formats/test_timestamps.py"),
    "views": ("tests/views", "tests/cli/test_listing.py", "tests/desk/test_viewing.py", "tests/whereabouts"),
    "whereabouts": ("tests/whereabouts", "tests/views/test_narrowing.py"),
    "filing": ("tests/filing", "tests/transfer/test_refiling.py", "tests/transfer/test_naming.py",
               "tests/transfer/test_ten_schemes.py", "tests/transfer/test_one_capture.py", "tests/desk/test_trying.py",
               "tests/cli/test_commands.py"),
}  # fmt: skip
"""Which tests are asked about a room."""
CHANCE = {
    "transfer": ("tests/transfer/test_power.py", "tests/transfer/test_torture.py", "tests/transfer/test_crafted.py",
                 "tests/transfer/test_failing.py::test_a_hundred_kills_at_random_moments_lose_nothing"),
}  # fmt: skip
"""Which of them start processes of their own, so that nobody sees which lines they execute."""
COUNT, SEED = 60, 1
_AT_ONCE = 2
_MANY = 10
_MOST_TESTS, _QUICKEST = 150, 80
"""Tests that are run for one change at first."""
_COMPARED = {
    ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt, ast.Eq: ast.NotEq, ast.NotEq: ast.Eq,
    ast.In: ast.NotIn, ast.NotIn: ast.In, ast.Is: ast.IsNot, ast.IsNot: ast.Is,
}  # fmt: skip
_COUNTED = {ast.Add: ast.Sub, ast.Sub: ast.Add, ast.Mult: ast.FloorDiv, ast.FloorDiv: ast.Mult, ast.Div: ast.Mult,
            ast.Mod: ast.Mult, ast.BitOr: ast.BitAnd, ast.BitAnd: ast.BitOr}  # fmt: skip


class Change(NamedTuple):
    """A change: where, what it is, and the whole file with it."""

    file: str
    line: int
    what: str
    text: str
    is_limit: bool


class _Changer(ast.NodeTransformer):
    """Makes the change of a number, or only counts how many there could be."""

    def __init__(self, wanted: int = -1) -> None:
        self.wanted, self.seen, self.line, self.what = wanted, 0, 0, ""
        self.is_limit = self._in_limits = False

    def _is_it(self, node: ast.AST, what: str) -> bool:
        self.seen += 1
        if self.seen - 1 != self.wanted:
            return False
        self.line, self.what = getattr(node, "lineno", 0), what
        self.is_limit = self._in_limits
        return True

    def visit_Assign(self, node: ast.Assign) -> ast.AST:
        names = [one.id for target in node.targets for one in ast.walk(target) if isinstance(one, ast.Name)]
        self._in_limits = node.col_offset == 0 and all(name.isupper() for name in names)
        self.generic_visit(node)
        self._in_limits = False
        return node

    def visit_FunctionDef(self, node: ast.FunctionDef) -> ast.AST:
        # Neither what decorates it nor what types it has is run by what it does.
        node.body = [self.visit(part) for part in node.body]
        node.args.defaults = [self.visit(part) for part in node.args.defaults]
        return node

    def visit_AnnAssign(self, node: ast.AnnAssign) -> ast.AST:
        if node.value is not None:
            node.value = self.visit(node.value)
        return node

    def visit_ClassDef(self, node: ast.ClassDef) -> ast.AST:
        node.body = [self.visit(part) for part in node.body]
        return node

    def visit_Raise(self, node: ast.Raise) -> ast.AST:
        return node

    def visit_Compare(self, node: ast.Compare) -> ast.AST:
        self.generic_visit(node)
        for at, op in enumerate(node.ops):
            other = _COMPARED.get(type(op))
            if other is not None and self._is_it(node, f"{type(op).__name__} → {other.__name__}"):
                node.ops[at] = other()
        return node

    def visit_BoolOp(self, node: ast.BoolOp) -> ast.AST:
        self.generic_visit(node)
        other = ast.Or if isinstance(node.op, ast.And) else ast.And
        if self._is_it(node, f"{type(node.op).__name__} → {other.__name__}"):
            node.op = other()
        return node

    def visit_UnaryOp(self, node: ast.UnaryOp) -> ast.AST:
        self.generic_visit(node)
        return node.operand if isinstance(node.op, ast.Not) and self._is_it(node, "not left out") else node

    def visit_BinOp(self, node: ast.BinOp) -> ast.AST:
        self.generic_visit(node)
        other = _COUNTED.get(type(node.op))
        text = isinstance(node.left, ast.JoinedStr | ast.Constant) and isinstance(getattr(node.left, "value", ""), str)
        if other is not None and not text and self._is_it(node, f"{type(node.op).__name__} → {other.__name__}"):
            node.op = other()
        return node

    def visit_Constant(self, node: ast.Constant) -> ast.AST:
        if isinstance(node.value, bool) and self._is_it(node, f"{node.value} → {not node.value}"):
            return ast.copy_location(ast.Constant(not node.value), node)
        if isinstance(node.value, int | float) and not isinstance(node.value, bool):
            # One more of many is another limit, and no wrong one.
            other = node.value * 2 if node.value >= _MANY else node.value + 1
            if self._is_it(node, f"{node.value} → {other}"):
                return ast.copy_location(ast.Constant(other), node)
        return node

    def visit_Expr(self, node: ast.Expr) -> ast.AST:
        if isinstance(node.value, ast.Call) and self._is_it(node, f"left out: {ast.unparse(node)[:60]}"):
            return ast.copy_location(ast.Pass(), node)
        self.generic_visit(node)
        return node


def changes_of(text: str) -> Iterator[int]:
    """The numbers of all changes that can be made in a file's text."""
    counter = _Changer()
    counter.visit(ast.parse(text))
    yield from range(counter.seen)


def change(file: str, text: str, number: int) -> Change:
    """A file with one of its changes made."""
    changer = _Changer(number)
    tree = changer.visit(ast.parse(text))
    text = ast.unparse(ast.fix_missing_locations(tree))
    return Change(file, changer.line, changer.what, text, changer.is_limit)


def _copied(folder: str, name: str) -> Path:
    to = Path(folder, name)
    skip = shutil.ignore_patterns(".git", ".venv", "__pycache__", "screenshots", ".*_cache")
    shutil.copytree(ROOT, to, ignore=skip)
    return to


def _pytest(at: Path, *words: str, limit: float | None = None) -> int:
    """Run tests in a copy, whose own code they import. Returns the exit code; 1 where it took too long."""
    environment = {**os.environ, "PYTHONPATH": str(at / "src"), "PYTHONDONTWRITEBYTECODE": "1"}
    command = [sys.executable, "-m", "pytest", "-q", *words]
    try:
        ran = subprocess.run(command, cwd=at, env=environment, capture_output=True, timeout=limit, check=False)
    except subprocess.TimeoutExpired:
        return 1
    return ran.returncode


def _covering(at: Path, room: str) -> tuple[dict[tuple[str, int], list[str]], dict[str, float]]:
    """Which tests execute which lines of a room, and how long each takes."""
    page = at / "coverage.json"
    report = at / "durations.xml"
    options = (f"--cov=src/jutrek/{room}", "--cov-context=test", f"--cov-report=json:{page}", "--cov-report=")
    (at / ".coveragerc").write_text("[json]\nshow_contexts = true\n[run]\nsource_pkgs = jutrek\n")
    _pytest(at, "-n", str(_AT_ONCE), *options, f"--junitxml={report}", *TESTS[room])
    lines: dict[tuple[str, int], list[str]] = {}
    for file, told in json.loads(page.read_text())["files"].items():
        for line, tests in told.get("contexts", {}).items():
            lines[file, int(line)] = sorted({test.split("|")[0] for test in tests if test})
    from xml.etree import ElementTree

    took: dict[str, float] = {}
    for case in ElementTree.parse(report).iter("testcase"):
        name = f"{case.get('classname', '').replace('.', '/')}.py::{case.get('name')}"
        took[name] = float(case.get("time", 0))
    return lines, took


def _broken(at: Path) -> str:
    """Which tests fail by themselves, in a report that was written with the coverage."""
    from xml.etree import ElementTree

    cases = ElementTree.parse(at / "durations.xml").iter("testcase")
    return "\n".join(
        f"{case.get('classname')}.{case.get('name')}"
        for case in cases
        if case.find("failure") is not None or case.find("error") is not None
    )


def _in_turn(tests: Iterable[str], lines: Mapping[str, int], took: Mapping[str, float]) -> list[str]:
    """Tests that run a line, as they are asked: the quickest, behind them those that run most of its file."""
    quick = sorted(tests, key=lambda test: took.get(test, 1.0))
    return quick[:_QUICKEST] + sorted(quick[_QUICKEST:], key=lambda test: -lines[test])


def _is_killed(at: Path, made: Change, tests: Sequence[str], took: Mapping[str, float]) -> bool:
    target = at / made.file
    before = target.read_text()
    target.write_text(made.text)
    try:
        limit = 60 + 5 * sum(took.get(test, 20.0) for test in tests)
        return bool(tests) and _pytest(at, "-x", *tests, limit=limit) != 0
    finally:
        target.write_text(before)


def run(room: str, count: int = COUNT, seed: int = SEED) -> float:
    """Sample changes of a room and print what became of each. Returns the share that was noticed."""
    files = sorted(str(path.relative_to(ROOT)) for path in (ROOT / "src" / "jutrek" / room).rglob("*.py"))
    texts = {file: (ROOT / file).read_text() for file in files}
    possible = [(file, number) for file in files for number in changes_of(texts[file])]
    chosen = random.Random(seed).sample(possible, min(count, len(possible)))
    began = time.monotonic()
    with tempfile.TemporaryDirectory() as folder:
        copies: SimpleQueue[Path] = SimpleQueue()
        for number in range(_AT_ONCE):
            copies.put(_copied(folder, f"copy{number}"))
        first = copies.get()
        lines, took = _covering(first, room)
        many = Counter((file, test) for (file, _), own in lines.items() for test in own)
        copies.put(first)
        if broken := _broken(first):
            raise SystemExit(f"These fail without any change, and would notice everything:\n{broken}")

        def judge(file: str, number: int) -> tuple[bool, bool]:
            made = change(file, texts[file], number)
            # What runs when a file is imported concerns whatever runs anything of it.
            of_line = lines.get((file, made.line)) or {
                one for key, own in lines.items() if key[0] == file for one in own
            }
            tests = _in_turn(of_line, {test: many[file, test] for test in of_line}, took)
            at = copies.get()
            try:
                killed = _is_killed(at, made, tests[:_MOST_TESTS], took)
                others = (*tests[_MOST_TESTS:], *CHANCE.get(room, ()))
                # Twice: on a busy machine one of those fails by itself now and then.
                late = not killed and all(_is_killed(at, made, others, took) for _ in range(2))
            finally:
                copies.put(at)
            what = "noticed " if killed else "late    " if late else "SURVIVED" if tests else "UNTESTED"
            killed |= late
            of = " limit" if made.is_limit else ""
            print(f"{what}{of} {file}:{made.line} {made.what} ({len(tests)} tests)", flush=True)
            return killed, made.is_limit

        with ThreadPoolExecutor(_AT_ONCE) as pool:
            judged = list(pool.map(lambda one: judge(*one), chosen))
    minutes = (time.monotonic() - began) / 60
    print(f"{room}: of {len(possible)} changes, seed {seed}, {minutes:.0f} min")
    for name, of_limits in (("what decides", False), ("limits", True)):
        own = [killed for killed, is_limit in judged if is_limit is of_limits]
        if own:
            print(f"  {name}: {sum(own)} of {len(own)} noticed, {sum(own) / len(own):.0%}")
    return sum(killed for killed, _ in judged) / len(judged)


if __name__ == "__main__":
    words = sys.argv[1:]
    if not words or words[0] not in TESTS or not all(word.isdecimal() for word in words[1:3]):
        sys.exit(f"Name one of: {', '.join(TESTS)}; then, if wanted, how many changes, and a seed.")
    run(words[0], *(int(word) for word in words[1:3]))
