"""How the server is set up."""

from dataclasses import dataclass
from pathlib import Path

from pydantic import TypeAdapter

WEB_DIST = Path(__file__).resolve().parents[2] / "web" / "dist"


@dataclass(frozen=True)
class Settings:
    """``allowed_hosts`` are the names a browser may know this server by (with any port); with a ``token`` it answers
    only who has it."""

    data_folder: Path
    allowed_hosts: frozenset[str] = frozenset({"127.0.0.1", "localhost", "[::1]"})
    max_upload_bytes: int = 4 * 1024**3
    max_body_bytes: int = 16 * 1024**2
    token: str | None = None
    web_folder: Path = WEB_DIST

    def to_json(self) -> bytes:
        """As another process of the same program reads it."""
        return _AS_JSON.dump_json(self)

    @classmethod
    def from_json(cls, written: bytes) -> "Settings":
        """What ``to_json`` wrote."""
        return _AS_JSON.validate_json(written)


_AS_JSON = TypeAdapter(Settings)
