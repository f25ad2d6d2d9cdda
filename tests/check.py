"""Every check: formatting, lint, types, import directions, generated files, and the tests. Run by `make test`.

Checks of the code run beside the tests; those in the browser, which listen to playback, begin when they are done.
"""

import os
import subprocess
import sys
import time
import unittest
from collections.abc import Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path
from typing import TypeAlias

ROOT = Path(__file__).resolve().parents[1]
BIN = Path(sys.executable).parent
LEAST_TESTS = 700

Check: TypeAlias = tuple[str, list[str], str]
Done: TypeAlias = tuple[subprocess.CompletedProcess[str], float]
CHECKS: tuple[Check, ...] = (
    ("format", [str(BIN / "ruff"), "format", "--check", "."], "."),
    ("lint", [str(BIN / "ruff"), "check", "."], "."),
    ("types", [str(BIN / "mypy")], "."),
    ("import directions", [str(BIN / "lint-imports"), "--no-cache"], "."),
    ("web types", ["npx", "tsc", "--noEmit"], "web"),
    ("web lint", ["npx", "eslint", "src"], "web"),
    ("web tests", ["npx", "vitest", "run"], "web"),
    ("web format", ["npx", "prettier", "--check", "--log-level", "warn", "src"], "web"),
)


def main() -> int:
    os.chdir(ROOT)
    sys.path.insert(0, str(ROOT))
    from tests.browser.chromium import find_chromium

    try:
        find_chromium()
    except FileNotFoundError as error:
        print(error)
        return 1
    in_browser, others = find_tests()
    with ThreadPoolExecutor(1) as pool:
        checks = [pool.submit(run_check, check) for check in CHECKS]
        results = [run_tests(others)]
        passed, failed = read_checks(checks)
    results.append(run_tests(in_browser))
    ran = sum(result.testsRun for result in results)
    broken = sum(map(count_broken, results))
    if ran < LEAST_TESTS:
        print(f"only {ran} tests were found, at least {LEAST_TESTS} are expected")
        broken += 1
    passed += max(0, ran - broken)
    failed += broken
    print(f"{passed} passed, {failed} failed")
    return 1 if failed else 0


def read_checks(checks: Iterable[Future[Done]]) -> tuple[int, int]:
    """How many passed and failed, each with a line of its own."""
    passed = failed = 0
    for (name, _, _), check in zip(CHECKS, checks, strict=True):
        done, seconds = check.result()
        good = done.returncode == 0
        passed, failed = passed + good, failed + (not good)
        print(f"== {name}: {'ok' if good else 'FAILED'} ({seconds:.0f} s)", flush=True)
        if not good:
            print(done.stdout[-6000:], done.stderr[-3000:])
    return passed, failed


def run_check(check: Check) -> Done:
    """What a check said, and how long it took."""
    _, command, folder = check
    began = time.monotonic()
    done = subprocess.run(command, cwd=ROOT / folder, capture_output=True, text=True, check=False)
    return done, time.monotonic() - began


def find_tests() -> tuple[unittest.TestSuite, unittest.TestSuite]:
    """Those in the browser, and all others."""
    found = list(each_test(unittest.defaultTestLoader.discover("tests", top_level_dir=".")))
    in_browser = [test for test in found if type(test).__module__.startswith("tests.browser.")]
    others = [test for test in found if test not in in_browser]
    return unittest.TestSuite(in_browser), unittest.TestSuite(others)


def each_test(suite: unittest.TestSuite) -> Iterator[unittest.TestCase]:
    for item in suite:
        if isinstance(item, unittest.TestSuite):
            yield from each_test(item)
        else:
            yield item


def run_tests(suite: unittest.TestSuite) -> unittest.TestResult:
    return unittest.TextTestRunner(verbosity=1).run(suite)


def count_broken(result: unittest.TestResult) -> int:
    """A test that was skipped or passed where it should not is as broken as one that failed."""
    return len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses) + len(result.skipped)


if __name__ == "__main__":
    sys.exit(main())
