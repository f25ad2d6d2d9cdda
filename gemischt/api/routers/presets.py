"""Presets: keep, list, delete, and their files."""

import json
import re

from fastapi import APIRouter, Response

from gemischt.api.dependencies import WorkspaceDep
from gemischt.api.schemas import PresetListing
from gemischt.core.session.presets import Preset

router = APIRouter(prefix="/api/presets", tags=["presets"])


@router.get("", operation_id="listPresets")
def list_presets(workspace: WorkspaceDep) -> list[PresetListing]:
    """Every preset, by name."""
    return [PresetListing.of(stored) for stored in workspace.presets.all()]


@router.post("", operation_id="addPreset", status_code=201)
def add_preset(preset: Preset, workspace: WorkspaceDep) -> PresetListing:
    """Keep a preset, from a chain or from a file; a taken name gets a number."""
    return PresetListing.of(workspace.presets.add(preset))


@router.delete("/{preset_id}", operation_id="removePreset", status_code=204)
def remove_preset(preset_id: str, workspace: WorkspaceDep) -> None:
    """Forget a preset."""
    workspace.presets.remove(preset_id)


@router.get("/{preset_id}/file", operation_id="fetchPreset")
def fetch_preset(preset_id: str, workspace: WorkspaceDep) -> Response:
    """The preset as a file."""
    preset = workspace.presets.get(preset_id).preset
    stem = re.sub(r"[^A-Za-z0-9 _-]+", "_", preset.name).strip() or "preset"
    content = json.dumps(preset.model_dump(mode="json", by_alias=True), ensure_ascii=False, indent=2)
    disposition = f'attachment; filename="{stem}.gemischt-preset.json"'
    return Response(content, media_type="application/json", headers={"Content-Disposition": disposition})
