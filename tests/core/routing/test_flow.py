"""The flow's layout: columns by what follows, nothing overlapping, folders as one."""

import unittest
from itertools import pairwise

from gemischt.core.routing.dependents import dependents_of
from gemischt.core.routing.flow import Flow, lay_out_flow
from gemischt.core.session.document import Session
from tests.support.sessions import Bench, compressor, silence


def song(**fields: object) -> Session:
    bench = Bench(**fields)
    for name in ("drum", "tom", "bass", "voice"):
        bench.track(name, silence(10))
    bench.strips[0] |= {"output": "drums", "folder": "kit"} if "folders" in fields else {"output": "drums"}
    bench.strips[1] |= {"output": "toms", "folder": "kit"} if "folders" in fields else {"output": "toms"}
    bench.strips[2]["chain"] = [compressor(key={"from": "drum"})]
    bench.strips[3]["sends"] = [{"id": "e", "to": "echo"}, {"id": "h", "to": "hall"}]
    bench.bus("toms", output="drums")
    bench.bus("drums")
    bench.bus("echo", kind="return", sends=[{"id": "h", "to": "hall"}])
    bench.bus("hall", kind="return")
    return bench.session()


class FlowTest(unittest.TestCase):
    def columns(self, flow: Flow) -> dict[str, str]:
        return {node.id: flow.columns[node.column].name for node in flow.nodes}

    def test_columns_follow_the_signal(self) -> None:
        flow = lay_out_flow(song())
        self.assertEqual(
            [column.name for column in flow.columns],
            ["Tracks", "Buses in buses", "Buses", "Returns", "", "Mix"],
        )
        named = self.columns(flow)
        self.assertEqual((named["toms"], named["drums"], named["mix"]), ("Buses in buses", "Buses", "Mix"))
        places = {node.id: node.column for node in flow.nodes}
        for edge in flow.edges:
            if edge.kind != "key":
                with self.subTest(edge=f"{edge.source} to {edge.destination}"):
                    self.assertLess(places[edge.source], places[edge.destination])

    def test_every_connection_is_there_once(self) -> None:
        flow = lay_out_flow(song())
        kinds = [edge.kind for edge in flow.edges]
        self.assertEqual((kinds.count("output"), kinds.count("send"), kinds.count("key")), (8, 3, 1))

    def test_nothing_overlaps_at_forty_strips_and_twelve_buses(self) -> None:
        bench = Bench()
        for number in range(40):
            bench.track(f"t{number}", silence(10), output=f"b{number % 12}")
        for number in range(12):
            bench.bus(f"b{number}", output=f"b{number // 4}" if number > 2 else "mix")
        flow = lay_out_flow(bench.session())
        for column in range(len(flow.columns)):
            boxes = sorted((node for node in flow.nodes if node.column == column), key=lambda node: node.y)
            for above, below in pairwise(boxes):
                with self.subTest(above=above.id, below=below.id):
                    self.assertLessEqual(above.y + above.height / 2, below.y - below.height / 2 + 1e-9)
            self.assertGreaterEqual(boxes[0].y - boxes[0].height / 2, -1e-9)
            self.assertLessEqual(boxes[-1].y + boxes[-1].height / 2, flow.height)

    def test_ports_lie_inside_their_boxes(self) -> None:
        flow = lay_out_flow(song())
        boxes = {node.id: node for node in flow.nodes}
        for edge in flow.edges:
            for y, box in ((edge.from_y, boxes[edge.source]), (edge.to_y, boxes[edge.destination])):
                self.assertLessEqual(abs(y - box.y), max(0.5, box.height / 2))

    def test_a_folded_folder_is_one_node_that_keeps_its_ways_out(self) -> None:
        session = song(folders=[{"id": "kit", "name": "Kit"}])
        flow = lay_out_flow(session, folded=["kit"])
        nodes = {node.id: node for node in flow.nodes}
        self.assertEqual(nodes["folder kit"].members, ("drum", "tom"))
        self.assertNotIn("drum", nodes)
        ways = {(edge.kind, edge.destination) for edge in flow.edges if edge.source == "folder kit"}
        self.assertEqual(ways, {("output", "drums"), ("output", "toms"), ("key", "bass")})


class ReferencesTest(unittest.TestCase):
    def test_what_refers_to_strips_is_said(self) -> None:
        groups = [{"id": "g", "name": "Band", "members": ["drum", "hall"]}]
        said = dependents_of(song(control_groups=groups), {"hall", "drum", "drums"})
        self.assertEqual(
            said,
            [
                "Toms will play where it played instead.",
                "Bass no longer hears Drum and listens to itself.",
                "Voice loses its send to Hall.",
                "Echo loses its send to Hall.",
                "The control group Band loses 2 of 2.",
            ],
        )
        self.assertEqual(dependents_of(song(), {"voice"}), [])
