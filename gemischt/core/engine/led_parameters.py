"""What followers lead, told while it plays: between which values each parameter goes, and where it is."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import groupby

import numpy as np
from numpy.typing import NDArray

from gemischt.core.engine import specs
from gemischt.core.engine.followings import Scale
from gemischt.core.engine.plan import Plan
from gemischt.core.engine.specs import OperationId, Role
from gemischt.core.parameters import Value
from gemischt.core.processors.curves import CURVE_FREQUENCIES_HZ
from gemischt.core.processors.eq import response_db
from gemischt.core.processors.eq_params import EqParams
from gemischt.core.session.ducking import address_of_step


@dataclass(frozen=True)
class LedParameter:
    """A parameter by its address in the document, and between which values it may be led."""

    address: str
    low: Value
    high: Value


class LedParameters:
    """All of a plan's, each once."""

    def __init__(self, plan: Plan) -> None:
        self._plan, self._blueprint = plan, plan.blueprint
        self._places: list[tuple[OperationId, int, Scale]] = []
        told: list[LedParameter] = []
        for id_, followings in plan.followings.items():
            for place, one in enumerate(followings):
                address = address_of_step(one.address)
                if all(known.address != address for known in told):
                    scale = Scale.of(one.parameter, one.values)
                    low, high = (scale.value(number) for number in one.reach(scale))
                    told.append(LedParameter(address, low, high))
                    self._places.append((id_, place, scale))
        self.told = tuple(told)

    def are_of(self, plan: Plan) -> bool:
        """Whether they are a plan's as it is now: of the same operations, with the same settings."""
        return plan is self._plan and plan.blueprint is self._blueprint

    def values(self, n_samples: int) -> list[Value]:
        """Where each is at the end of the plan's last block."""
        followed = self._plan.followed
        return [scale.value(followed[id_].led_number(place, n_samples)) for id_, place, scale in self._places]

    def equalizer_curves_db(self, strip: str, values: Sequence[Value]) -> NDArray[np.float64]:
        """Gain of the strip's equalisers whose bands are led, in the order in which ``told`` comes to them, each at
        CURVE_FREQUENCIES_HZ, with such values; (n_equalizers * n_frequencies,)."""
        led = [(*one.address.split("/"), value) for one, value in zip(self.told, values, strict=True)]
        own = [way for way in led if way[:3] == ("strips", strip, "chain") and way[4] == "bands"]
        curves: list[NDArray[np.float64]] = []
        rate = self._plan.blueprint.sample_rate_hz
        for eq, ways in groupby(own, key=lambda way: str(way[3])):
            params = self._equalizer(strip, eq)
            for *_, band_id, field, value in ways:
                changed = {str(field): value}
                bands = (band.model_copy(update=changed) if band.id == band_id else band for band in params.bands)
                params = params.model_copy(update={"bands": tuple(bands)})
            curves.append(response_db(params, CURVE_FREQUENCIES_HZ, rate))
        return np.concatenate(curves) if curves else np.zeros(0)

    def _equalizer(self, strip: str, eq: str) -> EqParams:
        operation = OperationId(strip, Role.PROCESSOR, (eq,))
        spec = next(spec for spec in self._plan.blueprint.specs if spec.id == operation)
        assert isinstance(spec, specs.Process)
        params = spec.told[0][1]
        assert isinstance(params, EqParams)
        return params if spec.on else EqParams()
