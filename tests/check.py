"""Every check: formatting, lint, types, import directions, generated files, and the tests. Run by `make test`.

The tests in the browser, all others but those of the core, these, and the checks of the code run two at a time, the
longest first; at last, when little else runs any more, those that listen to playback sample by sample.
``check.py SET`` runs one set of tests alone.
"""

import os
import re
import subprocess
import sys
import time
import unittest
from collections.abc import Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path
from typing import NamedTuple

ROOT = Path(__file__).resolve().parents[1]
BIN = Path(sys.executable).parent
LEAST_TESTS = 700
COUNT = re.compile(r"(\d+) ran, (\d+) broken")


class Check(NamedTuple):
    """A command that says by its exit code whether all is well."""

    name: str
    command: list[str]
    folder: str = "."
    steps_back: bool = True
    """Whether it leaves the machine to whoever else wants it: other tests wait for what works in the background."""


class Done(NamedTuple):
    """What came of a check: how many passed and failed in it, and what it printed."""

    passed: int
    failed: int
    seconds: float
    printed: str


CHECKS: tuple[Check, ...] = (
    Check("types", [str(BIN / "mypy")]),
    Check("format", [str(BIN / "ruff"), "format", "--check", "."]),
    Check("lint", [str(BIN / "ruff"), "check", "."]),
    Check("import directions", [str(BIN / "lint-imports"), "--no-cache"]),
    Check("web types", ["npx", "tsc", "--noEmit"], "web"),
    Check("web lint", ["npx", "eslint", "src"], "web"),
    Check("web tests", ["npx", "vitest", "run"], "web"),
    Check("web format", ["npx", "prettier", "--check", "--log-level", "warn", "src"], "web"),
)
SETS = ("pages", "around", "core", "listening")
LISTENING = ("test_journey.JourneyTest", "test_leveling.ComparisonJourneyTest")
"""Tests of the browser that look at what is heard, sample by sample: what runs beside them steps back."""


def main() -> int:
    os.chdir(ROOT)
    sys.path.insert(0, str(ROOT))
    if sys.argv[1:]:
        return run_tests(sys.argv[1])
    from tests.browser.chromium import find_chromium

    try:
        find_chromium()
    except FileNotFoundError as error:
        print(error)
        return 1
    *sets, listening = map(_as_check, SETS)
    with ThreadPoolExecutor(2) as pool:
        pending = [(check, pool.submit(run_check, check)) for check in (*sets, *CHECKS, listening)]
        results = [report(check, done) for check, done in pending]
    passed = sum(done.passed for done in results)
    failed = sum(done.failed for done in results)
    if passed + failed < LEAST_TESTS:
        print(f"only {passed + failed} tests were found, at least {LEAST_TESTS} are expected")
        failed += 1
    print(f"{passed} passed, {failed} failed")
    return 1 if failed else 0


def _as_check(tests: str) -> Check:
    command = [sys.executable, str(Path(__file__)), tests]
    return Check(f"tests ({tests})", command, steps_back=tests == "core")


def run_check(check: Check) -> Done:
    """Run to its end. A set of tests counts as many as it ran, anything else as one."""
    began = time.monotonic()
    done = subprocess.run(
        [*(("nice", "-n", "19") if check.steps_back else ()), *check.command],
        cwd=ROOT / check.folder,
        stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT,
        text=True,
        check=False,
    )
    counted = COUNT.search(done.stdout) if check.command[0] == sys.executable else None
    ran, broken = map(int, counted.groups()) if counted else (1, int(done.returncode != 0))
    if done.returncode != 0:
        broken = max(broken, 1)
    return Done(max(0, ran - broken), broken, time.monotonic() - began, done.stdout)


def report(check: Check, pending: Future[Done]) -> Done:
    """Say how a check went as soon as it is done; if it failed, all that it printed."""
    done = pending.result()
    print(f"== {check.name}: {'FAILED' if done.failed else 'ok'} ({done.seconds:.0f} s)", flush=True)
    if done.failed:
        print(done.printed[-20000:], flush=True)
    return done


def run_tests(tests: str) -> int:
    """Run one set here. A test that was skipped or passed where it should not is as broken as one that failed."""
    found = each_test(unittest.defaultTestLoader.discover("tests", top_level_dir="."))
    suite = unittest.TestSuite(test for test in found if set_of(test) == tests)
    result = unittest.TextTestRunner(stream=sys.stdout, verbosity=1).run(suite)
    broken = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses) + len(result.skipped)
    print(f"{result.testsRun} ran, {broken} broken")
    return 1 if broken else 0


def set_of(test: unittest.TestCase) -> str:
    """Which of the sets a test belongs to, by where it lies."""
    _, folder, *modules = (*type(test).__module__.split("."), "", "")
    if folder == "browser":
        return "listening" if f"{modules[0]}.{type(test).__name__}" in LISTENING else "pages"
    return "core" if folder == "core" else "around"


def each_test(suite: unittest.TestSuite) -> Iterator[unittest.TestCase]:
    for item in suite:
        if isinstance(item, unittest.TestSuite):
            yield from each_test(item)
        else:
            yield item


if __name__ == "__main__":
    sys.exit(main())
