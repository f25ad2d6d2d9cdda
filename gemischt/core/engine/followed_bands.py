"""Equalisers whose bands followers lead: designed as they sound, wherever moves and other followers have taken them."""

from collections.abc import Iterator, Sequence

import numpy as np

from gemischt.core.control import Control
from gemischt.core.dsp import band_design, following
from gemischt.core.dsp.table import Call
from gemischt.core.engine.followed import Followed, FollowedPlace, ScaledCurve
from gemischt.core.engine.followings import Following, Scale
from gemischt.core.engine.operations import Operation
from gemischt.core.processors.eq import Equalizer, band_rows
from gemischt.core.session.addresses import read
from gemischt.core.session.document import Eq
from gemischt.core.session.edits import find_processor
from gemischt.core.session.moves import Curve

_FIELDS = ("on", "frequency_hz", "gain_db", "q")
"""What of a band may be led, in the order of core.dsp.following."""


class FollowedBands(Followed):
    """The bands that are led, each with all that may lead it; the last value is whether the equaliser is on."""

    def __init__(
        self, operation: Operation, equalizer: Equalizer, followings: Sequence[Following], place: FollowedPlace
    ) -> None:
        super().__init__(operation, place)
        self._bands = list(dict.fromkeys(one.address.split("/")[5] for one in followings))
        n_bands, per_band = len(self._bands), equalizer.sections_per_band
        control, base = self._bound[0], self.bases[0]
        self.values = [Control(len(_FIELDS) * n_bands + 1, place.max_block, place.glide_samples)]
        pulled = np.zeros((2 * (len(_FIELDS) * n_bands + 1), place.max_block))
        self._columns = [self._column_of(one.address) for one in followings]
        for one, column in zip(followings, self._columns, strict=True):
            self._pull(one, pulled[2 * column : 2 * column + 2])
        self._rows = np.zeros((2, n_bands, band_design.N_COLUMNS))
        self._places, self._limits = np.zeros(n_bands, np.int64), np.zeros((2, len(_FIELDS)))
        deltas = np.zeros((2, control.coefs.shape[1]))
        self.state.append((deltas,))
        self.calls.append(
            Call(
                following.lead_bands,
                place.lag_samples,
                base.pieces,
                base.coefs,
                self.values[0].pieces,
                self.values[0].coefs,
                pulled,
                self._rows,
                self._places,
                self._limits,
                float(place.sample_rate_hz),
                per_band,
                np.zeros((2, n_bands * per_band, 5)),
                control.pieces,
                control.coefs,
                deltas,
            )
        )
        self.aim(followings, glide=False)

    def aim(self, followings: Sequence[Following], *, glide: bool) -> None:
        first = followings[0]
        session = first.course.session
        eq = find_processor(session.strips[0], first.operation.part[0])
        assert isinstance(eq, Eq)
        at = f"strips/{first.operation.strip}/chain/{eq.id}"
        order = [band.id for band in eq.params.bands]
        self._places[:] = [order.index(band) for band in self._bands]
        self._rows[:] = band_rows(eq.params)[self._places]
        addresses = [f"{at}/bands/{band}/{field}" for band in self._bands for field in _FIELDS] + [f"{at}/on"]
        curves = {curve.target: curve for curve in self._curves(followings)}
        values = np.zeros(len(addresses))
        scaled: dict[int, ScaledCurve] = {}
        scales: dict[int, Scale] = {}
        self._limits[:, 0] = 0.0, 1.0
        for column, address in enumerate(addresses):
            found = read(session, address)
            scale = scales[column] = Scale.of(found.parameter, [found.value])
            values[column] = scale.number(found.value)
            if curve := curves.get(address):
                scaled[column] = ScaledCurve(curve, scale)
            if 0 < column < len(_FIELDS):
                self._limits[:, column] = scale.number(found.parameter.minimum), scale.number(found.parameter.maximum)
        for place, (one, column) in enumerate(zip(followings, self._columns, strict=True)):
            self._aim_pulls(place, one, scales[column])
        self.values[0].aim(((0, values),), glide=glide)
        self.values[0].lead(self._line(values, scaled), glide=glide)

    def _end_of(self, place: int) -> float:
        return float(self.values[0].at_end[self._columns[place]])

    def _column_of(self, address: str) -> int:
        *_, band, field = address.split("/")
        return len(_FIELDS) * self._bands.index(band) + _FIELDS.index(field)

    @staticmethod
    def _curves(followings: Sequence[Following]) -> Iterator[Curve]:
        for one in followings:
            yield from one.beside
            if one.curve is not None:
                yield one.curve
