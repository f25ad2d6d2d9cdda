"""Play, stop, seek, loop: the transport as a small state machine."""

from dataclasses import dataclass, replace


@dataclass(frozen=True)
class Transport:
    """Where playback is. ``epoch`` grows with every jump: sound of an older epoch is no longer wanted."""

    playing: bool = False
    position_samples: int = 0
    loop: tuple[int, int] | None = None
    epoch: int = 0

    def play(self, at_samples: int | None, length_samples: int) -> "Transport":
        """Start; at the end of the song, from its beginning."""
        position = self.position_samples if at_samples is None else at_samples
        if position >= length_samples and self.loop is None:
            position = 0
        return replace(self, playing=True, position_samples=position, epoch=self.epoch + 1)

    def stop(self, heard_samples: int) -> "Transport":
        """Stop where the listener is."""
        return replace(self, playing=False, position_samples=max(0, heard_samples), epoch=self.epoch + 1)

    def seek(self, to_samples: int) -> "Transport":
        """Jump, playing or not."""
        return replace(self, position_samples=max(0, to_samples), epoch=self.epoch + 1)

    def set_loop(self, loop: tuple[int, int] | None) -> "Transport":
        """Repeat a stretch or play on; an empty stretch is none."""
        return replace(self, loop=loop if loop is not None and loop[1] > loop[0] else None)

    def advanced(self, position_samples: int) -> "Transport":
        """The renderer moved on."""
        return replace(self, position_samples=position_samples)
