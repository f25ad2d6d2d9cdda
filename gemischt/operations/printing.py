"""Prints into files: each appears only when it is whole, and one that fails leaves the others alone."""

from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Executor, Future, ThreadPoolExecutor
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

import numpy as np

from gemischt.core.audio import Audio
from gemischt.core.errors import GemischtError, StorageFailed
from gemischt.core.metering.summary import Summarizer, Summary
from gemischt.core.printing.files import PrintFile, files_of
from gemischt.core.printing.rendering import Written, render_files
from gemischt.core.session.document import Session
from gemischt.core.session.print_names import apart, stem_of
from gemischt.core.session.prints import Print
from gemischt.core.space.layout import Layout
from gemischt.operations.measuring import measure_file
from gemischt.operations.workspace import OpenMedia
from gemischt.storage.audio_files import Progress, no_progress
from gemischt.storage.audio_writing import FORMATS, AudioFileWriter, Label, rate_in_file
from gemischt.storage.writing import disk_error, keep, keep_under_free_name, unfinished_file

_WRITERS = 2
_CHUNK_SAMPLES = 1 << 16
_RELEASES = 100
"""So many times in a render memory is given back."""


@dataclass(frozen=True)
class Printed:
    """A finished file.

    Attributes:
        summary: what is in it, measured before rounding, or, of what is lossy, in the file itself.
        clipped_samples: how many did not fit into its integers.
        start_s: where in the song it begins.
        ringing_dbfs: how loud it still rang where it was cut; None if it had fallen silent.
    """

    file: PrintFile
    path: Path
    rate_hz: int
    summary: Summary
    clipped_samples: int
    start_s: float
    ringing_dbfs: float | None


@dataclass(frozen=True)
class Unprinted:
    """A file that could not be written, and why."""

    file: PrintFile
    error: GemischtError


Outcome = Printed | Unprinted
Watcher = Callable[[Outcome], None]


def nobody(_outcome: Outcome) -> None:
    """For callers who wait for all of them."""


def named_files(session: Session, orders: Sequence[Print], made_at: datetime) -> list[tuple[PrintFile, str]]:
    """The files of several prints, each with a name of its own, without its suffix.

    Raises:
        InvalidAction: a print cannot be, or the pattern of names is wrong.
    """
    files = [file for order in orders for file in files_of(session, order)]
    n_digits = len(str(len(files)))
    stems = []
    for number, file in enumerate(files, start=1):
        parts = file.names._replace(number=f"{number:0{n_digits}d}", date=made_at.strftime("%Y-%m-%d"))
        stems.append(stem_of(session.print_names, parts))
    return list(zip(files, apart(stems), strict=True))


def print_files(
    session: Session,
    media: OpenMedia,
    named: Sequence[tuple[PrintFile, str]],
    folder: Path,
    *,
    made_at: datetime,
    overwrite: bool = False,
    progress: Progress = no_progress,
    watcher: Watcher = nobody,
) -> list[Outcome]:
    """Print files into a folder, in the order in which they are finished.

    Args:
        overwrite: whether files that have such names give way; otherwise the new ones are numbered.
        watcher: called with each as soon as it is there.

    Raises:
        BadAudio: a stretch is empty.
        StorageFailed: the folder is missing or may not be written to.
        Cancelled: ``progress`` raised it; what is finished stays.
    """
    stems = {(file.order.id, file.part): stem for file, stem in named}
    outcomes: list[Outcome] = []

    def settle(outcome: Outcome) -> None:
        outcomes.append(outcome)
        watcher(outcome)

    released = 0

    def report(share: float) -> None:
        nonlocal released
        if share * _RELEASES >= released + 1:
            released = int(share * _RELEASES)
            media.release_pages()
        progress(share)

    with _folder_errors(folder), ExitStack() as unfinished, ThreadPoolExecutor(_WRITERS, "print") as writers:

        def open_sink(file: PrintFile, layout: Layout, most_samples: int) -> "_FileSink":
            keep_as = _Destination(folder, stems[file.order.id, file.part], overwrite)
            return _FileSink(session, file, layout, most_samples, keep_as, made_at, unfinished, writers, settle)

        render_files(session, media.samples, [file for file, _ in named], open_sink, report=report)
    return outcomes


@contextmanager
def _folder_errors(folder: Path) -> Iterator[None]:
    try:
        yield
    except OSError as error:
        raise disk_error(error, folder / "print") from error


@dataclass(frozen=True)
class _Destination:
    """Where a file goes once it is whole."""

    folder: Path
    stem: str
    overwrite: bool

    def take(self, temporary: Path) -> Path:
        if not self.overwrite:
            return keep_under_free_name(temporary, self.folder, self.stem)
        path = self.folder / f"{self.stem}{temporary.suffix}"
        keep(temporary, path)
        return path


class _FileSink:
    """A file being rendered. What comes is collected, and rounded, written and measured beside what is rendered next.

    State: what is collected, and what is being done with the chunk before it. Once the disk has refused, what comes is
    dropped.
    """

    def __init__(
        self,
        session: Session,
        file: PrintFile,
        layout: Layout,
        most_samples: int,
        destination: _Destination,
        made_at: datetime,
        unfinished: ExitStack,
        writers: Executor,
        settle: Watcher,
    ) -> None:
        self._writers = writers
        self._collected: list[Audio] = []
        self._n_collected = 0
        self._under_way: Future[None] | None = None
        self._session, self._file = session, file
        self._destination, self._made_at, self._settle = destination, made_at, settle
        order = file.order
        audio_format = FORMATS[order.format]
        self._rate_hz = rate_in_file(audio_format, order.rate_hz or session.sample_rate_hz)
        self._temporary = unfinished.enter_context(unfinished_file(destination.folder, audio_format.suffix))
        self._failed = False
        try:
            self._writer = AudioFileWriter(
                self._temporary,
                order.format,
                layout,
                sample_rate_hz=session.sample_rate_hz,
                rate_hz=self._rate_hz,
                most_samples=most_samples,
                shaped=order.shaped,
                is_reversed=order.reversed,
            )
            unfinished.callback(self._writer.abandon)
        except GemischtError as error:
            self._refuse(error)
        self._summarizer = Summarizer(self._rate_hz, layout)

    def write(self, block: Audio) -> None:
        if self._failed:
            return
        self._collected.append(block.copy())
        self._n_collected += block.shape[1]
        if self._n_collected >= _CHUNK_SAMPLES:
            self._hand_over()

    def _hand_over(self) -> None:
        """Let what is collected be written, once the chunk before it is."""
        self._wait()
        if self._collected and not self._failed:
            self._under_way = self._writers.submit(self._take, np.concatenate(self._collected, axis=1))
        self._collected, self._n_collected = [], 0

    def _take(self, chunk: Audio) -> None:
        for written in self._writer.write(chunk):
            self._summarizer.process(written)

    def _wait(self) -> None:
        under_way, self._under_way = self._under_way, None
        if under_way is not None:
            try:
                under_way.result()
            except StorageFailed as error:
                self._refuse(error)

    def finish(self, written: Written) -> None:
        self._hand_over()
        self._wait()
        if self._failed:
            return
        try:
            for block in self._writer.finish():
                self._summarizer.process(block)
            self._settle(self._kept(written))
        except (GemischtError, OSError) as error:
            self._refuse(error if isinstance(error, GemischtError) else disk_error(error, self._temporary))

    def _kept(self, written: Written) -> Printed:
        start_s = written.start_samples / self._session.sample_rate_hz
        made_at = self._made_at.isoformat(timespec="seconds")
        self._writer.label(Label(self._file.names.what, self._session.name, start_s, made_at))
        summary = measure_file(self._temporary) if self._writer.format.is_lossy else self._summarizer.summary()
        path = self._destination.take(self._temporary)
        clipped = self._writer.clipped_samples
        return Printed(self._file, path, self._rate_hz, summary, clipped, start_s, written.ringing_dbfs)

    def _refuse(self, error: GemischtError) -> None:
        self._failed = True
        self._settle(Unprinted(self._file, error))
        self._temporary.unlink(missing_ok=True)
