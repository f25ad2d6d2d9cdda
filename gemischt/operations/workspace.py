"""A data folder with everything in it."""

import threading
from contextlib import ExitStack
from pathlib import Path

from gemischt._kernel_cache import sources_digest
from gemischt.core.audio import MediaSamples
from gemischt.core.errors import NotFound, StorageFailed
from gemischt.core.session.actions import Action, AddTracks
from gemischt.core.session.document import Session
from gemischt.storage.audio_files import AudioStore, MappedSamples
from gemischt.storage.database import Database
from gemischt.storage.glances import GlanceStore
from gemischt.storage.presets import PresetStore
from gemischt.storage.print_runs import PrintStore
from gemischt.storage.renders import DiskRenders
from gemischt.storage.sessions import SessionStore, StoredSession
from gemischt.storage.snapshots import PutAsideStore, SnapshotStore
from gemischt.storage.targets import TargetStore
from gemischt.storage.writing import empty, held, sweep


class OpenMedia:
    """The media of one session, mapped: ``samples`` by media id, as the engine takes them."""

    def __init__(self, mapped: dict[str, MappedSamples]) -> None:
        self._mapped = mapped
        self.samples: dict[str, MediaSamples] = {media_id: item.samples for media_id, item in mapped.items()}

    def release_pages(self) -> None:
        """Keep the memory in use small while a long session plays or renders."""
        for item in self._mapped.values():
            item.release_pages()


class Workspace:
    """Sessions, audio files and prints of one data folder."""

    def __init__(self, folder: Path) -> None:
        try:
            folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise StorageFailed(
                f"cannot be used as the data folder ({error.strerror})",
                where=str(folder),
                remedy="Choose another with --data.",
            ) from error
        self.folder = folder
        self._database = Database(folder / "gemischt.sqlite")
        self.sessions = SessionStore(self._database)
        self.presets = PresetStore(self._database)
        self.snapshots = SnapshotStore(self._database)
        self.put_aside = PutAsideStore(self._database)
        self.glances = GlanceStore(self._database)
        self.targets = TargetStore(self._database)
        self.printed = PrintStore(self._database)
        self.audio = AudioStore(self._database, folder / "audio")
        self.renders = DiskRenders(folder / "renders", sources_digest())
        self.measuring = threading.Lock()
        self.prints = folder / "prints"
        self.uploads = folder / "uploads"
        for path in (self.prints, self.uploads):
            path.mkdir(exist_ok=True)
        self._serving = ExitStack()

    def open_media(self, session: Session) -> OpenMedia:
        """Map the decoded files a session plays; NotFound names the medium that is missing."""
        mapped: dict[str, MappedSamples] = {}
        for media in session.media:
            try:
                mapped[media.id] = self.audio.samples(media.sha256, session.sample_rate_hz)
            except (NotFound, FileNotFoundError) as error:
                raise NotFound(
                    "this audio file is missing from the data folder", where=media.path, remedy="Import it again."
                ) from error
        return OpenMedia(mapped)

    def edit(self, session_id: str, revision: int, action: Action) -> StoredSession:
        """Apply and keep an action; NotFound if it brings in audio that is not in the store."""
        if isinstance(action, AddTracks):
            for track in action.tracks:
                self.audio.get(track.media.sha256)
        return self.sessions.edit(session_id, revision, action)

    def begin_serving(self) -> int:
        """Be the one server of this folder, and sweep what killed ones left; how many bytes that freed.

        Raises:
            StorageFailed: another server is there already.
        """
        if not self._serving.enter_context(held(self.folder, wait=False)):
            raise StorageFailed(
                "is in use by another Gemischt server",
                where=str(self.folder),
                remedy="Use that one, end it, or choose another folder with --data.",
            )
        return empty(self.uploads) + sum(map(sweep, (self.folder, self.prints))) + self.audio.sweep()

    def close(self) -> None:
        """Let go of the database and the folder."""
        self._serving.close()
        self._database.close()
