"""Presets are kept, named apart, and forgotten."""

from gemischt.core.errors import NotFound
from gemischt.core.session.presets import parse_preset
from gemischt.operations.workspace import Workspace
from tests.support.sessions import compressor, eq
from tests.support.workspaces import WorkspaceCase

WARM = parse_preset({"format": "gemischt-preset", "name": "Warm", "processors": [eq({"gain_db": 2.0}), compressor()]})


class PresetStoreTest(WorkspaceCase):
    def test_names_can_clash_safely(self) -> None:
        names = [self.workspace.presets.add(WARM).preset.name for _ in range(3)]
        self.assertEqual(names, ["Warm", "Warm (2)", "Warm (3)"])
        self.assertEqual([stored.preset.name for stored in self.workspace.presets.all()], names)

    def test_it_comes_back_whole_after_a_restart(self) -> None:
        kept = self.workspace.presets.add(WARM)
        self.workspace.close()
        again = Workspace(self.data)
        self.addCleanup(again.close)
        self.assertEqual(again.presets.get(kept.id).preset, WARM)

    def test_forgetting(self) -> None:
        kept = self.workspace.presets.add(WARM)
        self.workspace.presets.remove(kept.id)
        self.assertEqual(self.workspace.presets.all(), [])
        for ask in (self.workspace.presets.get, self.workspace.presets.remove):
            with self.assertRaises(NotFound):
                ask(kept.id)
