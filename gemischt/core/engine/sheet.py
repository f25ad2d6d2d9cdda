"""The sheet a blueprint is drawn on: buffers with their lags, and operations in order."""

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field, replace

from gemischt.core.engine import specs
from gemischt.core.engine.placement import Matrix, mixing_matrix
from gemischt.core.engine.settings import process_spec
from gemischt.core.engine.specs import OperationId
from gemischt.core.parameters import FrozenModel
from gemischt.core.space.layout import MONO, Layout


@dataclass(frozen=True)
class Feed:
    """A signal on its way into a buffer."""

    id: OperationId
    source: str
    gain: float


@dataclass(frozen=True)
class ClipFeed:
    """Clips on their way straight into a strip: each with what its file's channels become on the way."""

    clips: tuple[specs.ClipPlacement, ...]
    matrices: tuple[Matrix, ...]
    layout: Layout


@dataclass
class Sheet:
    """What has been drawn so far. ``lags`` is how many samples the signal in each buffer is behind the song."""

    sample_rate_hz: int
    buffers: dict[str, Layout] = field(default_factory=dict)
    signals: dict[str, int] = field(default_factory=dict)
    operations: list[specs.Spec] = field(default_factory=list)
    lags: dict[str, int] = field(default_factory=dict)
    lags_at: dict[OperationId, int] = field(default_factory=dict)

    def add(self, spec: specs.Spec) -> None:
        """The next operation."""
        self.operations.append(spec)
        self.lags_at[spec.id] = self._lag_at(spec)

    def _lag_at(self, spec: specs.Spec) -> int:
        match spec:
            case specs.MixInto():
                return self.lags[spec.source] + spec.delay_samples
            case specs.ApplyMatrix() | specs.Copy() | specs.Detect():
                return self.lags[spec.source]
            case specs.Shape() | specs.Follow():
                return self.lags[spec.levels]
            case specs.Open():
                return spec.lag_samples
            case _:
                return self.lags[spec.buffer]

    def buffer(self, name: str, layout: Layout, *, lag: int) -> str:
        """A buffer of this name; the name."""
        self.buffers[name] = layout
        self.lags[name] = lag
        return name

    def wait(self, operation: OperationId, buffer: str, n_samples: int) -> None:
        """Let a buffer come so much later, if that is later."""
        if n_samples > 0:
            self.add(specs.Delay(operation, buffer, n_samples))
            self.lags[buffer] += n_samples

    def process(
        self,
        operation: OperationId,
        kind: str,
        buffer: str,
        told: tuple[tuple[int, FrozenModel], ...],
        *,
        on: bool,
        reaches: Iterable[FrozenModel] = (),
    ) -> None:
        """Let a processor work on a buffer; there is room for whatever parameters it ``reaches``."""
        rate = self.sample_rate_hz
        spec = process_spec(operation, kind, buffer, told, on=on, sample_rate_hz=rate, reaches=reaches)
        self.add(spec)
        self.lags[buffer] += spec.latency_samples

    def lag_of(self, feed: Feed | ClipFeed) -> int:
        """Clips come when they are wanted."""
        return self.lags[feed.source] if isinstance(feed, Feed) else 0

    def mix(self, feed: Feed, out: str, lag: int) -> None:
        """Add a signal to a buffer that lags so much."""
        delay = lag - self.lags[feed.source]
        matrix = mixing_matrix(self.buffers[feed.source], self.buffers[out])
        rows = None if matrix is None else tuple(tuple(float(gain) for gain in row) for row in matrix)
        self.add(specs.MixInto(feed.id, feed.source, out, delay, rows, feed.gain))

    def mix_all(
        self, operation: OperationId, feeds: Sequence[Feed | ClipFeed], out: str, lag: int, *, adds: bool
    ) -> None:
        """Sum feeds; those that are clips first, all at once, added or not to what is there."""
        clip_feeds = [feed for feed in feeds if isinstance(feed, ClipFeed)]
        if clip_feeds:
            clips = [played for feed in clip_feeds for played in _played_into(feed, self.buffers[out])]
            placed = tuple(replace(clip, start_samples=clip.start_samples + lag) for clip, _ in clips)
            self.add(specs.PlayClips(operation, out, placed, adds, tuple(matrix for _, matrix in clips)))
        for feed in feeds:
            if isinstance(feed, Feed):
                self.mix(feed, out, lag)


def _played_into(feed: ClipFeed, layout: Layout) -> Iterator[tuple[specs.ClipPlacement, Matrix]]:
    """Clips and what their channels become where they join others; two channels meet halved in one."""
    joining = mixing_matrix(feed.layout, layout)
    for clip, matrix in zip(feed.clips, feed.matrices, strict=True):
        if layout == MONO:
            yield clip, matrix.mean(axis=0, keepdims=True)
        else:
            yield clip, matrix if joining is None else joining @ matrix
