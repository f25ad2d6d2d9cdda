"""A blueprint with other settings is the one that would have been drawn."""

import unittest
from typing import Any
from unittest import mock

import numpy as np

from gemischt.core.engine import specs
from gemischt.core.engine.blueprint import draw_blueprint, with_leaders
from gemischt.core.engine.courses import Course
from gemischt.core.engine.followings import Following
from gemischt.core.engine.resettling import resettle
from gemischt.core.errors import InvalidAction, InvalidSession
from gemischt.core.session.addresses import parameters_of, write
from gemischt.core.session.document import Session
from gemischt.core.session.ducking import with_steps_in_chains
from gemischt.core.session.moves import movables
from gemischt.core.session.validation import check_session, dump_session, parse_session
from tests.core.engine.test_random_graphs import random_document
from tests.support.sessions import Bench, compressor
from tests.support.signals import noise

SOME = 60
"""So many parameters of a random session are tried."""


def told(blueprint: specs.Blueprint) -> list[Any]:
    """Everything the operations are told, arrays as lists."""
    found: list[Any] = []
    for spec in blueprint.specs:
        match spec:
            case specs.ApplyMatrix():
                found.append((spec.id, spec.matrix.tolist()))
            case specs.MixInto():
                found.append((spec.id, spec.gain))
            case specs.Process():
                found.append((spec.id, spec.told, spec.on))
            case specs.Detect():
                found.append((spec.id, spec.detection))
            case specs.Shape():
                found.append((spec.id, spec.params))
            case specs.Apply():
                found.append((spec.id, spec.application))
            case _:
                found.append(spec.id)
    return found


def leaders(blueprint: specs.Blueprint) -> list[Any]:
    """Everything that moves and followers lead, and by what."""
    courses = [(course.key, course.leads) for course in blueprint.courses if isinstance(course, Course)]
    return [*courses, *(following.key for following in blueprint.followings if isinstance(following, Following))]


def with_random_moves(session: Session, rng: np.random.Generator) -> Session:
    """The session with a few random parameters drawn over the song."""
    found = [one for one in movables(session) if isinstance(one.value, float) and one.parameter.maximum is not None]
    document = dump_session(session)
    document["moves"] = [
        {
            "target": one.address,
            "points": [{"at_s": 0.0, "value": one.value}, {"at_s": 0.04, "value": one.parameter.maximum}],
        }
        for one in (found[int(index)] for index in rng.permutation(len(found))[:5])
    ]
    return parse_session(document)


class ResettlingTest(unittest.TestCase):
    def setUp(self) -> None:
        self.bench = Bench()
        self.bench.track("noise", noise(0.05, seed=6))
        self.rng = np.random.default_rng(44)

    def random_session(self) -> Session:
        while True:
            try:
                return parse_session(random_document(self.rng, self.bench))
            except InvalidSession:
                continue

    def test_any_parameter_of_random_sessions(self) -> None:
        resettled = drawn = 0
        for number in range(25):
            session = self.random_session()
            blueprint = draw_blueprint(session, self.bench.media)
            parameters = list(parameters_of(session))
            for index in self.rng.permutation(len(parameters))[:SOME]:
                item = parameters[index]
                entry = item.parameter
                values = (
                    [entry.minimum, entry.maximum, *entry.choices, not item.value] if item.value is not None else [1]
                )
                try:
                    changed = write(session, item.address, values[int(self.rng.integers(len(values)))])
                    check_session(changed)
                except (InvalidAction, InvalidSession):
                    continue
                expected = draw_blueprint(changed, self.bench.media)
                found = resettle(blueprint, session, changed)
                if found is None:
                    drawn += 1
                    continue
                resettled += 1
                with self.subTest(number=number, address=item.address):
                    self.assertEqual(found, expected)
                    self.assertEqual(told(found), told(expected))
        self.assertGreater(resettled, 500)
        self.assertGreater(drawn, 100)

    def test_what_leads_as_it_did_stays_and_is_what_would_have_been_drawn(self) -> None:
        stayed = changed_leads = 0
        for number in range(8):
            session = with_random_moves(self.random_session(), self.rng)
            blueprint = draw_blueprint(session, self.bench.media)
            parameters = list(parameters_of(session))
            for index in self.rng.permutation(len(parameters))[:SOME]:
                item = parameters[index]
                values = [item.parameter.minimum, item.parameter.maximum, *item.parameter.choices, not item.value]
                try:
                    changed = write(session, item.address, values[int(self.rng.integers(len(values)))])
                    check_session(changed)
                except (InvalidAction, InvalidSession):
                    continue
                # As it comes out of the data folder: equal, but not the same.
                changed = parse_session(dump_session(changed))
                settled = resettle(blueprint, session, with_steps_in_chains(changed))
                if settled is None:
                    continue
                found = with_leaders(with_steps_in_chains(changed), settled, blueprint)
                with self.subTest(number=number, address=item.address):
                    self.assertEqual(leaders(found), leaders(draw_blueprint(changed, self.bench.media)))
                same = [course in blueprint.courses for course in found.courses]
                stayed, changed_leads = stayed + sum(same), changed_leads + len(same) - sum(same)
        self.assertGreater(stayed, 100)
        self.assertGreater(changed_leads, 20)

    def test_levels_and_what_processors_are_told_are_not_drawn(self) -> None:
        self.bench.bus("hall", kind="return")
        lanes = [{"id": "l", "name": "L", "chain": [compressor("squash")]}]
        chain = [compressor("comp"), {"id": "block", "type": "parallel", "lanes": lanes}]
        self.bench.strips[0] |= {"sends": [{"id": "s", "to": "hall"}], "chain": chain}
        self.bench.fields["control_groups"] = [{"id": "g", "name": "G", "members": ["noise"]}]
        session = self.bench.session()
        blueprint = draw_blueprint(session, self.bench.media)
        settings: list[tuple[str, Any]] = [
            ("fader_db", -3.0), ("trim_db", 2.0), ("mute", True), ("pan/position", 0.3), ("width", 0.5),
            ("polarity_inverted", True), ("sends/s/level_db", -9.0), ("sends/s/on", False),
            ("chain/comp/threshold_db", -40.0), ("chain/comp/on", False),
            ("chain/block/level_db", -2.0), ("chain/block/lanes/l/level_db", -5.0), ("chain/block/lanes/l/mute", True),
            ("chain/squash/ratio", 8.0),
        ]  # fmt: skip
        for address, value in settings:
            with self.subTest(address):
                found = resettle(blueprint, session, write(session, f"strips/noise/{address}", value))
                assert found is not None
                same = [spec for spec, before in zip(found.specs, blueprint.specs, strict=True) if spec is before]
                self.assertGreater(len(same), len(blueprint.specs) - 9)
        for address, value in (("level_db", -4.0), ("mute", True)):
            with self.subTest(group=address):
                changed = write(session, f"control_groups/g/{address}", value)
                found = resettle(blueprint, session, changed)
                assert found is not None
                self.assertEqual(told(found), told(draw_blueprint(changed, self.bench.media)))
        for address, value in (
            ("solo", True),
            ("input", "mid"),
            ("chain/comp/lookahead_ms", 5.0),
            ("chain/block/lanes/l/shift_ms", 1.0),
            ("chain/block/on", False),
            ("sends/s/tap", "pre-fader"),
        ):
            with self.subTest(address):
                self.assertIsNone(resettle(blueprint, session, write(session, f"strips/noise/{address}", value)))

    def test_a_hand_on_a_drawn_curve_draws_nothing(self) -> None:
        self.bench.fields["moves"] = [{"target": "strips/noise/fader_db", "points": [{"at_s": 0.0, "value": -20.0}]}]
        renderer = self.bench.renderer(max_block=64)
        renderer.render(64)
        with mock.patch("gemischt.core.engine.renderer.draw_blueprint") as draw:
            for level_db in (-15.0, -10.0, -6.0):
                self.bench.fields["moves"][0]["points"][0]["value"] = level_db
                renderer.edit(self.bench.session(), self.bench.media)
                renderer.render(64)
        draw.assert_not_called()
        moved = renderer.render(2000)[:, -400:]
        self.bench.fields["moves"] = []
        self.bench.strips[0]["fader_db"] = -6.0
        np.testing.assert_allclose(moved, self.bench.render(2256)[:, -400:], atol=1e-9)

    def test_a_hand_on_a_fader_draws_nothing(self) -> None:
        renderer = self.bench.renderer()
        session = self.bench.session()
        with mock.patch("gemischt.core.engine.renderer.draw_blueprint") as draw:
            for level_db in (-1.0, -2.0, -3.0):
                renderer.edit(write(session, "strips/noise/fader_db", level_db), self.bench.media)
                renderer.render(64)
        draw.assert_not_called()


if __name__ == "__main__":
    unittest.main()
