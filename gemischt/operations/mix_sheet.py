"""A mix as a page to be read and printed on paper: strips, levels, chains in words, ways, what makes room, moves, and
pictures of the flow and of the stage. It holds everything it shows."""

import math
from collections.abc import Iterable, Iterator, Mapping
from html import escape

from pydantic import BaseModel

from gemischt.core.analysis.reports.relations import relations_of
from gemischt.core.analysis.reports.stage_place import StagePlace
from gemischt.core.parameters import table_of
from gemischt.core.processors.registry import label_of
from gemischt.core.routing.flow import Flow, lay_out_flow
from gemischt.core.session.addresses import name_of
from gemischt.core.session.beat_grid import BeatGrid
from gemischt.core.session.document import Move, Processor, Session, Strip
from gemischt.core.session.edits import show_db
from gemischt.core.session.kinds import traits_of
from gemischt.core.session.moves import curve_of
from gemischt.core.units import position_to_side

_STYLE = """
body { font: 13px/1.45 "Atkinson Hyperlegible Next", "Helvetica", sans-serif; color: #2a2433; background: #f6f1e6;
  max-width: 1040px; margin: 24px auto; padding: 0 16px; }
h1 { font-size: 22px; margin: 0; } h2 { font-size: 15px; margin: 26px 0 6px; border-bottom: 1px solid #2a2433; }
table { border-collapse: collapse; width: 100%; } th { text-align: left; font-weight: 400; color: #6d6370; }
td, th { padding: 3px 10px 3px 0; border-bottom: 1px solid #d9cfbb; vertical-align: top; }
.number { text-align: right; font-variant-numeric: tabular-nums; } .quiet { color: #6d6370; }
.mark { display: inline-block; width: 5px; height: 13px; margin-right: 6px; vertical-align: -2px; }
svg { background: #fffaf0; border: 1px solid #d9cfbb; } svg text { font-size: 11px; fill: #2a2433; }
@media print { body { background: none; margin: 0; } h2 { break-after: avoid; } tr, svg { break-inside: avoid; } }
"""
_COLUMN_PX, _NODE_PX, _ROW_PX = 230.0, 120.0, 24.0
_STAGE_PX = 300.0
_MOVE_PX = (420.0, 46.0)
_EDGES = {"output": "#2a2433", "send": "#0b7373", "key": "#b83d24", "follower": "#74489b"}


def mix_sheet(session: Session, places: Mapping[str, StagePlace], figures: Mapping[str, str]) -> str:
    """The page; ``places`` is where each strip is heard, ``figures`` what was measured of the mix, in words."""
    said = " · ".join(f"{escape(name)} <b>{escape(value)}</b>" for name, value in figures.items())
    parts = [
        f"<h1>{escape(session.name)}</h1><p class=quiet>{escape(_song_words(session))}</p><p>{said}</p>",
        _section("Strips", _strip_table(session)),
        _section("Chains", _chains(session)),
        _section("What makes room", _list(relation.sentence for relation in relations_of(session))),
        _section("Moves", _moves(session)),
        _section("The flow", _flow_picture(lay_out_flow(session))),
        _section("The stage, from above", _stage_picture(session, places)),
        _section("Sections", _list(_section_words(session))),
    ]
    head = f"<meta charset=utf-8><title>{escape(session.name)}: mix sheet</title><style>{_STYLE}</style>"
    return f"<!doctype html><html lang=en><head>{head}</head><body>{''.join(parts)}</body></html>\n"


def _section(title: str, content: str) -> str:
    return f"<h2>{escape(title)}</h2>{content}" if content else ""


def _list(items: Iterable[str]) -> str:
    found = "".join(f"<li>{escape(item)}</li>" for item in items)
    return f"<ul>{found}</ul>" if found else ""


def _song_words(session: Session) -> str:
    tempo = session.tempo[0]
    count = sum(strip.kind == "track" for strip in session.strips)
    layout = session.mix.layout or "stereo"
    return f"{count} tracks, {layout}, {session.sample_rate_hz / 1000:g} kHz, {tempo.bpm:g} bpm, {tempo.metre}"


def _section_words(session: Session) -> Iterator[str]:
    grid = BeatGrid(session.tempo)
    for section in session.sections:
        yield f"{section.name}: bars {grid.place(section.start_s)} to {grid.place(section.end_s)}"


def _strip_table(session: Session) -> str:
    names = {strip.id: strip.name for strip in session.strips}
    heads = ("strip", "kind", "trim", "fader", "pan, width", "plays to", "sends")
    rows = "".join(_strip_row(strip, names) for strip in session.strips)
    return f"<table><tr>{''.join(f'<th>{head}</th>' for head in heads)}</tr>{rows}</table>"


def _strip_row(strip: Strip, names: Mapping[str, str]) -> str:
    sends = ", ".join(
        f"{names[send.to]} {show_db(send.level_db)}{'' if send.tap == 'post-fader' else f', {send.tap}'}"
        for send in strip.sends
        if send.on
    )
    output = "out" if strip.kind == "mix" else names.get(strip.output or "", "nowhere")
    state = ", muted" if strip.mute else ""
    cells = (strip.kind + state, _trim(strip), show_db(strip.fader_db), _place(strip), output, sends)
    numbers = {1, 2}
    written = "".join(
        f"<td{' class=number' if place in numbers else ''}>{escape(cell)}</td>" for place, cell in enumerate(cells)
    )
    mark = f'<span class=mark style="background:{strip.color}"></span>'
    return f"<tr><td>{mark}<b>{escape(strip.name)}</b></td>{written}</tr>"


def _trim(strip: Strip) -> str:
    return show_db(strip.trim_db) + (" ø" if strip.polarity_inverted else "")


def _place(strip: Strip) -> str:
    pan, width = strip.pan, "" if strip.width == 1.0 else f", {100 * strip.width:.0f} % wide"
    if pan.mode == "around":
        return f"{pan.azimuth_deg:g}° around, {pan.elevation_deg:g}° up, {pan.spread_deg:g}° spread"
    if pan.mode == "two-handed":
        return f"{position_to_side(pan.left)} and {position_to_side(pan.right)}{width}"
    return f"{position_to_side(pan.position)}{'' if pan.mode == 'balance' else f', {pan.mode}'}{width}"


def _chains(session: Session) -> str:
    rows = "".join(
        f"<tr><td><b>{escape(strip.name)}</b></td><td>{_chain_words(session, strip.chain)}</td></tr>"
        for strip in session.strips
        if strip.chain
    )
    return f"<table>{rows}</table>" if rows else ""


def _chain_words(session: Session, chain: tuple[Processor, ...]) -> str:
    return "<br>".join(_processor_words(session, processor) for processor in chain)


def _processor_words(session: Session, processor: Processor) -> str:
    off = "" if processor.on else " <span class=quiet>(off)</span>"
    if processor.type == "parallel":
        lanes = "".join(
            f"<li><b>{escape(lane.name)}</b> {escape(show_db(lane.level_db))}{', muted' if lane.mute else ''}"
            f"{': ' if lane.chain else ''}{_chain_words(session, lane.chain)}</li>"
            for lane in processor.lanes
        )
        return f"<b>{escape(processor.name)}</b>{off}<ul>{lanes}</ul>"
    said = ", ".join(_set_values(processor.params))
    if processor.type == "eq":
        said = "; ".join(
            f"{band.shape} {band.frequency_hz:.0f} Hz {band.gain_db:+.1f} dB"
            for band in processor.params.bands
            if band.on
        )
    key = getattr(processor, "key", None)
    heard = "" if key is None or key.source is None else f", hears {session.strip(key.source).name}"
    return f"<b>{escape(label_of(processor.type))}</b>{off} {escape(said + heard)}"


def _set_values(params: BaseModel) -> Iterator[str]:
    """What is not as it comes."""
    defaults = type(params)()
    for name, parameter in table_of(type(params)).items():
        value = getattr(params, name)
        if value != getattr(defaults, name):
            shown = (parameter.none or "none") if value is None else f"{value:g}" if isinstance(value, float) else value
            yield f"{parameter.label.lower()} {shown} {parameter.unit}".strip()


def _moves(session: Session) -> str:
    shown = [move for move in session.moves if move.on]
    if not shown:
        return ""
    end_s = max(point.at_s for move in shown for point in move.points) or 1.0
    rows = "".join(
        f"<tr><td>{escape(name_of(session, move.target))}</td><td>{_move_picture(session, move, end_s)}</td></tr>"
        for move in shown
    )
    return f"<table>{rows}</table>"


def _move_picture(session: Session, move: Move, end_s: float) -> str:
    width, height = _MOVE_PX
    curve = curve_of(session, move)
    times = [end_s * k / 200 for k in range(201)]
    values = [_number(curve.value_at(at_s)) for at_s in times]
    low, high = min(values), max(values)
    span = (high - low) or 1.0
    path = " ".join(
        f"{at_s / end_s * width:.1f},{height - 4 - (value - low) / span * (height - 8):.1f}"
        for at_s, value in zip(times, values, strict=True)
    )
    label = f"{low:.1f} to {high:.1f}"
    return (
        f'<svg width="{width:.0f}" height="{height:.0f}" role="img" aria-label="{label}">'
        f'<polyline points="{path}" fill="none" stroke="#3d3a8c" stroke-width="1.5"/></svg> '
        f"<span class=quiet>{label}</span>"
    )


def _number(value: float | bool | str | None) -> float:
    """A value on a drawing's axis: silence at its foot, words at one height."""
    if isinstance(value, str):
        return 0.0
    return -90.0 if value is None or value == -math.inf else float(value)


def _flow_picture(flow: Flow) -> str:
    nodes = {node.id: node for node in flow.nodes}
    height = _ROW_PX * (max((node.y + node.height for node in flow.nodes), default=0.0) + 0.5)
    width = _COLUMN_PX * (max((node.column for node in flow.nodes), default=0) + 1)
    lines = []
    for edge in flow.edges:
        one, other = nodes[edge.source], nodes[edge.destination]
        x, to_x = one.column * _COLUMN_PX + _NODE_PX, other.column * _COLUMN_PX
        bend, y, to_y = (x + to_x) / 2.0, _ROW_PX * edge.from_y, _ROW_PX * edge.to_y
        dash = "" if edge.kind == "output" else ' stroke-dasharray="4 3"'
        lines.append(
            f'<path d="M {x:.0f} {y:.1f} C {bend:.0f} {y:.1f}, {bend:.0f} {to_y:.1f}, {to_x:.0f} {to_y:.1f}" '
            f'fill="none" stroke="{_EDGES[edge.kind]}"{dash}/>'
        )
    boxes = [
        f'<rect x="{node.column * _COLUMN_PX + 2:.0f}" y="{_ROW_PX * (node.y - node.height / 2):.1f}" width="4" '
        f'height="{_ROW_PX * node.height:.1f}" fill="{node.color}"/>'
        f'<text x="{node.column * _COLUMN_PX + 10:.0f}" y="{_ROW_PX * node.y + 4:.1f}">{escape(node.name)}</text>'
        for node in flow.nodes
    ]
    size = f'viewBox="0 0 {width:.0f} {height:.0f}" width="100%"'
    return f'<svg {size} role="img" aria-label="The flow">{"".join(lines + boxes)}</svg>'


def _stage_picture(session: Session, places: Mapping[str, StagePlace]) -> str:
    """Arcs where strips are heard: returns and what is wet further away."""
    heard = [(strip, places[strip.id]) for strip in session.strips if strip.id in places and strip.kind != "mix"]
    heard = [(strip, place) for strip, place in heard if traits_of(strip).plays_clips or strip.kind == "return"]
    if not heard:
        return ""
    middle, foot = 1.6 * _STAGE_PX, 1.15 * _STAGE_PX
    order = sorted(heard, key=lambda item: (item[0].kind == "return", item[1].wet_db or -60.0))
    arcs = []
    for rank, (strip, place) in enumerate(order):
        radius = 60.0 + (_STAGE_PX - 60.0) * (rank + 1) / len(order)
        around = place.bed.azimuth_deg if place.bed is not None else -45.0 * place.position
        reach = max(2.0, 45.0 * place.reach)
        ends = [_at(middle, foot, radius, around + side * reach) for side in (1.0, -1.0)]
        at = _at(middle, foot, radius + 8.0, around)
        (x, y), (to_x, to_y) = ends
        arcs.append(
            f'<path d="M {x:.1f} {y:.1f} A {radius:.1f} {radius:.1f} 0 0 1 {to_x:.1f} {to_y:.1f}" fill="none" '
            f'stroke="{strip.color}" stroke-width="5"/>'
            f'<text x="{at[0]:.1f}" y="{at[1]:.1f}" text-anchor="middle">{escape(strip.name)}</text>'
        )
    listener = f'<circle cx="{middle:.0f}" cy="{foot:.0f}" r="7" fill="none" stroke="#2a2433"/>'
    size = f'viewBox="0 0 {2 * middle:.0f} {foot + 20:.0f}" width="100%"'
    return f'<svg {size} role="img" aria-label="The stage">{listener}{"".join(arcs)}</svg>'


def _at(middle: float, foot: float, radius: float, azimuth_deg: float) -> tuple[float, float]:
    angle = math.radians(azimuth_deg)
    return middle - radius * math.sin(angle), foot - radius * math.cos(angle)
