"""Interleaved timing: machines drift, ratios within a run hold."""

import time
from collections.abc import Callable
from statistics import median

ROUNDS = 9


def interleaved(**candidates: Callable[[], object]) -> dict[str, float]:
    """Median seconds of each candidate, run in turns after one warm-up."""
    for run in candidates.values():
        run()
    times: dict[str, list[float]] = {name: [] for name in candidates}
    for _ in range(ROUNDS):
        for name, run in candidates.items():
            began = time.perf_counter()
            run()
            times[name].append(time.perf_counter() - began)
    return {name: median(values) for name, values in times.items()}


def report(title: str, seconds_of_audio: float, times: dict[str, float], goal: str) -> None:
    """One line a candidate: x real time, and how much faster the first is."""
    own = next(iter(times.values()))
    print(f"{title}  (goal: {goal})")
    for name, seconds in times.items():
        ratio = "" if seconds == own else f"   ours is {seconds / own:5.1f} x as fast"
        print(f"  {name:28s} {seconds_of_audio / seconds:8.1f} x real time{ratio}")
