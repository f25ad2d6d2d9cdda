"""Prints into files: each appears only when it is whole, and one that fails leaves the others alone."""

import threading
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Executor, Future, ThreadPoolExecutor
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass
from datetime import datetime
from functools import partial
from pathlib import Path

import numpy as np

from gemischt.core.audio import Audio
from gemischt.core.dsp.simd import N_LANES
from gemischt.core.errors import GemischtError, StorageFailed
from gemischt.core.metering.summary import Summarizers, Summary
from gemischt.core.printing.files import PrintFile, files_of
from gemischt.core.printing.limiting import Limiting
from gemischt.core.printing.rendering import Sink, Written, render_files
from gemischt.core.session.document import Session
from gemischt.core.session.print_names import apart, stem_of
from gemischt.core.session.prints import Print
from gemischt.core.space.layout import Layout
from gemischt.operations.measuring import measure_file
from gemischt.operations.workspace import OpenMedia
from gemischt.storage.audio_files import Progress, no_progress
from gemischt.storage.audio_writing import FORMATS, AudioFileWriter, Label, rate_in_file
from gemischt.storage.writing import disk_error, keep, keep_under_free_name, unfinished_file

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
        limiting: what the limiters of its strip did; None where there are none.
    """

    file: PrintFile
    path: Path
    rate_hz: int
    summary: Summary
    clipped_samples: int
    start_s: float
    ringing_dbfs: float | None
    limiting: Limiting | None


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

    settling = threading.Lock()

    def settle(outcome: Outcome) -> None:
        with settling:
            outcomes.append(outcome)
            watcher(outcome)

    released = 0

    def report(share: float) -> None:
        nonlocal released
        if share * _RELEASES >= released + 1:
            released = int(share * _RELEASES)
            media.release_pages()
        progress(share)

    with _folder_errors(folder), ExitStack() as unfinished, ExitStack() as workers:
        batches: list[_Batch] = []

        def open_sink(file: PrintFile, layout: Layout, most_samples: int) -> Sink:
            order = file.order
            audio_format = FORMATS[order.format]
            rate_hz = rate_in_file(audio_format, order.rate_hz or session.sample_rate_hz)
            temporary = unfinished.enter_context(unfinished_file(folder, audio_format.suffix))
            try:
                writer = AudioFileWriter(
                    temporary,
                    order.format,
                    layout,
                    sample_rate_hz=session.sample_rate_hz,
                    rate_hz=rate_hz,
                    most_samples=most_samples,
                    shaped=order.shaped,
                    is_reversed=order.reversed,
                )
            except GemischtError as error:
                settle(Unprinted(file, error))
                return _Refused()
            unfinished.callback(writer.abandon)
            if not (batches and batches[-1].has_room(rate_hz, layout)):
                batches.append(_Batch(rate_hz, workers.enter_context(ThreadPoolExecutor(1, "print"))))
            keep_as = _Destination(folder, stems[order.id, file.part], overwrite)
            return _FileSink(session, file, layout, writer, temporary, keep_as, made_at, batches[-1], settle)

        render_files(session, media.samples, [file for file, _ in named], open_sink, report=report)
        for batch in batches:
            batch.wait()
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


class _Batch:
    """Files that are written, and measured together, beside what is rendered next.

    State: what was begun; one thing is done after the other.
    """

    def __init__(self, rate_hz: int, worker: Executor) -> None:
        self.rate_hz = rate_hz
        self._worker = worker
        self._layouts: list[Layout] = []
        self._sinks: list[_FileSink] = []
        self._meters: Summarizers | None = None
        self._begun: list[Future[None]] = []

    def has_room(self, rate_hz: int, layout: Layout) -> bool:
        """Whether such a file can be measured with these, of which none has begun yet."""
        n_channels = sum(taken.n_channels for taken in self._layouts)
        return self._meters is None and rate_hz == self.rate_hz and n_channels + layout.n_channels <= N_LANES

    def add(self, sink: "_FileSink", layout: Layout) -> int:
        """The place of one more."""
        self._sinks.append(sink)
        self._layouts.append(layout)
        return len(self._sinks) - 1

    @property
    def meters(self) -> Summarizers:
        """Of all files; no more can be added."""
        if self._meters is None:
            self._meters = Summarizers(self.rate_hz, self._layouts)
        return self._meters

    def hand_over(self) -> None:
        """Let what is collected of every file be taken."""
        for sink in self._sinks:
            if (chunk := sink.collected()) is not None:
                self.let(partial(sink.take, chunk))

    def let(self, work: Callable[[], None]) -> None:
        """Have something done in its turn."""
        self._begun.append(self._worker.submit(work))

    def wait(self) -> None:
        """Until all is done."""
        begun, self._begun = self._begun, []
        for work in begun:
            work.result()


class _FileSink:
    """A file being rendered. What comes is collected until its batch takes it.

    State: room for what is collected, and how much that is. Once the disk has refused, what comes is dropped.
    """

    def __init__(
        self,
        session: Session,
        file: PrintFile,
        layout: Layout,
        writer: AudioFileWriter,
        temporary: Path,
        destination: _Destination,
        made_at: datetime,
        batch: _Batch,
        settle: Watcher,
    ) -> None:
        self._session, self._file, self._made_at = session, file, made_at
        self._temporary, self._destination, self._settle = temporary, destination, settle
        self._writer = writer
        self._batch = batch
        self._place = batch.add(self, layout)
        self._room = np.empty((layout.n_channels, 0))
        self._n_collected = 0
        self._failed = False

    def write(self, block: Audio) -> None:
        if self._failed:
            return
        done, n_samples = 0, block.shape[1]
        while done < n_samples:
            if not self._n_collected:
                self._room = np.empty((len(block), _CHUNK_SAMPLES))
            n_more = min(n_samples - done, _CHUNK_SAMPLES - self._n_collected)
            self._room[:, self._n_collected : self._n_collected + n_more] = block[:, done : done + n_more]
            self._n_collected += n_more
            done += n_more
            if self._n_collected == _CHUNK_SAMPLES:
                # No more waits than is collected.
                self._batch.wait()
                self._batch.hand_over()

    def finish(self, written: Written) -> None:
        self._batch.hand_over()
        self._batch.let(partial(self._close, written))

    def collected(self) -> Audio | None:
        """What is, which is then forgotten."""
        n_samples, self._n_collected = self._n_collected, 0
        return self._room[:, :n_samples] if n_samples else None

    def take(self, chunk: Audio) -> None:
        """Write and measure what comes next."""
        if self._failed:
            return
        try:
            for written in self._writer.write(chunk):
                self._batch.meters.process(self._place, written)
        except StorageFailed as error:
            self._refuse(error)

    def _close(self, written: Written) -> None:
        if self._failed:
            return
        try:
            for block in self._writer.finish():
                self._batch.meters.process(self._place, block)
            self._settle(self._kept(written))
        except (GemischtError, OSError) as error:
            self._refuse(error if isinstance(error, GemischtError) else disk_error(error, self._temporary))

    def _kept(self, written: Written) -> Printed:
        start_s = written.start_samples / self._session.sample_rate_hz
        made_at = self._made_at.isoformat(timespec="seconds")
        self._writer.label(Label(self._file.names.what, self._session.name, start_s, made_at))
        summary = self._batch.meters.finish(self._place)
        if self._writer.format.is_lossy:
            summary = measure_file(self._temporary)
        path = self._destination.take(self._temporary)
        clipped = self._writer.clipped_samples
        return Printed(
            file=self._file,
            path=path,
            rate_hz=self._batch.rate_hz,
            summary=summary,
            clipped_samples=clipped,
            start_s=start_s,
            ringing_dbfs=written.ringing_dbfs,
            limiting=written.limiting,
        )

    def _refuse(self, error: GemischtError) -> None:
        self._failed = True
        self._batch.meters.drop(self._place)
        self._settle(Unprinted(self._file, error))
        self._temporary.unlink(missing_ok=True)


class _Refused:
    """Takes what comes for a file that could not be begun."""

    def write(self, block: Audio) -> None:
        pass

    def finish(self, written: Written) -> None:
        pass
