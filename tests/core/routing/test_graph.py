"""Edges, order and loops."""

import doctest
import unittest
from typing import Any

from gemischt.core.routing import graph
from gemischt.core.session.document import Session


def session(*strips: dict[str, Any]) -> Session:
    """Strips as they are, without the rules between them."""
    return Session.model_validate({"name": "S", "strips": [{"name": strip["id"], **strip} for strip in strips]})


def keyed(source: str, tap: str = "pre-fader") -> dict[str, Any]:
    return {"id": f"by-{source}", "type": "compressor", "key": {"from": source, "tap": tap}}


class EdgesTest(unittest.TestCase):
    def test_outputs_sends_and_keys_are_edges_with_their_taps(self) -> None:
        made = session(
            {"id": "a", "output": "mix", "sends": [{"id": "s", "to": "b", "tap": "pre-chain"}], "chain": [keyed("c")]},
            {"id": "b", "kind": "bus"},
            {"id": "c"},
            {"id": "mix", "kind": "mix"},
        )
        edges = {(edge.kind, edge.source, edge.destination, edge.tap) for edge in graph.edges_of(made)}
        self.assertEqual(
            edges,
            {("output", "a", "mix", "post-fader"), ("send", "a", "b", "pre-chain"), ("key", "c", "a", "pre-fader")},
        )

    def test_keys_inside_lanes_count(self) -> None:
        lanes = [{"id": "l", "name": "L", "chain": [keyed("b")]}]
        made = session({"id": "a", "chain": [{"id": "p", "type": "parallel", "lanes": lanes}]}, {"id": "b"})
        self.assertEqual([edge.source for edge in graph.edges_of(made)], ["b"])
        self.assertEqual([processor.id for processor in graph.walk_chain(made.strips[0].chain)], ["p", "by-b"])

    def test_a_detector_on_its_own_pre_chain_needs_no_edge(self) -> None:
        self.assertEqual(graph.edges_of(session({"id": "a", "chain": [keyed("a", "pre-chain")]})), [])


class OrderTest(unittest.TestCase):
    def test_a_trigger_comes_before_its_target_whatever_the_document_says(self) -> None:
        made = session({"id": "target", "chain": [keyed("trigger")]}, {"id": "trigger"})
        self.assertEqual(graph.processing_order(made), ["trigger", "target"])

    def test_a_chain_of_a_thousand_buses_is_ordered_without_recursion(self) -> None:
        strips = [{"id": f"b{k}", "kind": "bus", "output": f"b{k + 1}"} for k in range(400)]
        made = session(*strips, {"id": "b400", "kind": "bus"})
        self.assertEqual(graph.processing_order(made), [f"b{k}" for k in range(401)])
        self.assertIsNone(graph.find_loop(made))

    def test_the_shortest_and_a_long_loop_are_found(self) -> None:
        self.assertEqual(graph.find_loop(session({"id": "a", "kind": "bus", "output": "a"})), ["a", "a"])
        ring = [{"id": f"b{k}", "kind": "bus", "output": f"b{(k + 1) % 300}"} for k in range(300)]
        loop = graph.find_loop(session(*ring))
        assert loop is not None
        self.assertEqual(len(loop), 301)
        self.assertEqual(loop[0], loop[-1])

    def test_two_ways_to_one_place_are_no_loop(self) -> None:
        made = session(
            {"id": "a", "kind": "bus", "output": "mix", "sends": [{"id": "s", "to": "b"}]},
            {"id": "b", "kind": "bus", "output": "mix"},
            {"id": "mix", "kind": "mix"},
        )
        self.assertIsNone(graph.find_loop(made))


def load_tests(loader: unittest.TestLoader, tests: unittest.TestSuite, pattern: str | None) -> unittest.TestSuite:
    tests.addTests(doctest.DocTestSuite(graph))
    return tests
