"""Every check: formatting, lint, types, import directions, generated files, and the tests. Run by `make test`."""

import os
import subprocess
import sys
import time
import unittest
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import TypeAlias

ROOT = Path(__file__).resolve().parents[1]
BIN = Path(sys.executable).parent
LEAST_TESTS = 700

CHECKS_AT_ONCE = 2

Check: TypeAlias = tuple[str, list[str], str]
CHECKS: tuple[Check, ...] = (
    ("format", [str(BIN / "ruff"), "format", "--check", "."], "."),
    ("lint", [str(BIN / "ruff"), "check", "."], "."),
    ("types", [str(BIN / "mypy")], "."),
    ("import directions", [str(BIN / "lint-imports"), "--no-cache"], "."),
    ("web types", ["npx", "tsc", "--noEmit"], "web"),
    ("web lint", ["npx", "eslint", "src"], "web"),
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
    passed, failed = run_checks()
    result = run_tests()
    ran = result.testsRun
    broken = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses) + len(result.skipped)
    if ran < LEAST_TESTS:
        print(f"only {ran} tests were found, at least {LEAST_TESTS} are expected")
        broken += 1
    passed += max(0, ran - broken)
    failed += broken
    print(f"{passed} passed, {failed} failed")
    return 1 if failed else 0


def run_checks() -> tuple[int, int]:
    passed = failed = 0
    with ThreadPoolExecutor(CHECKS_AT_ONCE) as pool:
        for (name, _, _), (done, seconds) in zip(CHECKS, pool.map(run_check, CHECKS), strict=True):
            good = done.returncode == 0
            passed, failed = passed + good, failed + (not good)
            print(f"== {name}: {'ok' if good else 'FAILED'} ({seconds:.0f} s)", flush=True)
            if not good:
                print(done.stdout[-6000:], done.stderr[-3000:])
    return passed, failed


def run_check(check: Check) -> tuple[subprocess.CompletedProcess[str], float]:
    """What a check said, and how long it took."""
    _, command, folder = check
    began = time.monotonic()
    done = subprocess.run(command, cwd=ROOT / folder, capture_output=True, text=True, check=False)
    return done, time.monotonic() - began


def run_tests() -> unittest.TestResult:
    suite = unittest.defaultTestLoader.discover("tests", top_level_dir=".")
    return unittest.TextTestRunner(verbosity=1).run(suite)


if __name__ == "__main__":
    sys.exit(main())
