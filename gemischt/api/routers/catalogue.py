"""What there is to add to a chain, and the program's version."""

from fastapi import APIRouter

from gemischt import __version__
from gemischt.api.schemas import ProcessorListing, RackListing, WayListing
from gemischt.core.processors.registry import PROCESSORS
from gemischt.core.session.catalogue import Catalogue, catalogue
from gemischt.core.session.racks import rack_label, rack_names
from gemischt.core.session.ways import WAY_LABELS, WAYS

router = APIRouter(prefix="/api", tags=["catalogue"])


@router.get("/processors", operation_id="listProcessors")
def list_processors() -> list[ProcessorListing]:
    """Every processor type with its parameter table."""
    return [
        ProcessorListing(kind=item.kind, label=item.label, takes_key=item.takes_key, parameters=item.parameter_schema())
        for item in PROCESSORS
    ]


@router.get("/catalogue", operation_id="getCatalogue")
def get_catalogue() -> Catalogue:
    """Every parameter there is, with its range and unit, by the part of a session it belongs to; usual note values."""
    return catalogue()


@router.get("/racks", operation_id="listRacks")
def list_racks() -> list[RackListing]:
    """Lanes to start from."""
    return [RackListing(rack=rack, label=rack_label(rack)) for rack in rack_names()]


@router.get("/ways", operation_id="listWays")
def list_ways() -> list[WayListing]:
    """Ways to make room to start from."""
    return [WayListing(way=way, label=WAY_LABELS[way]) for way in WAYS]


@router.get("/version", operation_id="getVersion")
def get_version() -> str:
    """The program's version."""
    return __version__
