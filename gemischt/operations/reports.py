"""Measured reports as JSON: levels of silence are null."""

import dataclasses
from typing import Any

from gemischt.core.session.actions import Action, dump_action
from gemischt.core.units import finite_or_none, heard_or_none

_LEVELS = ("_dbfs", "_dbtp", "_lufs")


def report_to_json(report: object) -> Any:
    """A dataclass, model, tuple or value; infinities and levels that nobody hears become null, actions what the API
    takes."""
    if isinstance(report, Action):
        return dump_action(report)
    if dataclasses.is_dataclass(report) and not isinstance(report, type):
        written = {field.name: report_to_json(getattr(report, field.name)) for field in dataclasses.fields(report)}
        return {name: _as_read(name, value) for name, value in written.items()}
    if isinstance(report, (tuple, list)):
        return [report_to_json(item) for item in report]
    if isinstance(report, float):
        return finite_or_none(report)
    return report


def _as_read(name: str, value: Any) -> Any:
    return heard_or_none(value) if isinstance(value, float) and name.endswith(_LEVELS) else value
