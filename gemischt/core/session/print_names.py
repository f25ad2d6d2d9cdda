"""Names of printed files: from a pattern, fit for every file system, each of its own."""

import re
import string
from collections.abc import Iterable
from typing import NamedTuple

from gemischt.core.errors import InvalidAction

MOST_NAME_BYTES = 180
"""File systems take 255 bytes; a number, a suffix and a working name come on top."""
_RESERVED = frozenset(
    ("con", "prn", "aux", "nul", *(f"com{k}" for k in range(1, 10)), *(f"lpt{k}" for k in range(1, 10)))
)
"""Names of devices, which some file systems keep for themselves."""


class NameParts(NamedTuple):
    """What a pattern may name: ``{session} {what} {strip} {tap} {section} {number} {date}``."""

    session: str
    what: str
    strip: str = ""
    tap: str = ""
    section: str = ""
    number: str = ""
    date: str = ""


def file_stem(name: str, *, otherwise: str) -> str:
    """A name of the user's as the stem of a file: any letters, but nothing a file system or shell trips over.

    >>> file_stem("A/B: mix", otherwise="mix")
    'A_B_ mix'
    >>> file_stem("con", otherwise="mix")
    'con_'
    >>> len(file_stem("音" * 200, otherwise="mix").encode())
    180
    """
    plain = re.sub(r"[^\w ()+,-]+", "_", name).encode()[:MOST_NAME_BYTES].decode(errors="ignore")
    stem = plain.strip() or otherwise
    return f"{stem}_" if stem.lower() in _RESERVED else stem


def check_pattern(pattern: str) -> None:
    """Raise InvalidAction for a pattern that names what is not there."""
    try:
        fields = [(field, spec, how) for _, field, spec, how in string.Formatter().parse(pattern) if field is not None]
    except ValueError as error:
        raise InvalidAction(f"the braces do not match ({error})", where=pattern, remedy="Close each one.") from None
    for field, spec, how in fields:
        if field not in NameParts._fields or spec or how:
            known = " ".join(f"{{{name}}}" for name in NameParts._fields)
            raise InvalidAction(f"there is no {{{field}}}", where=pattern, remedy=f"There are {known}.")


def stem_of(pattern: str, parts: NameParts) -> str:
    """A file's name without its suffix; separators around what is empty go with it.

    >>> stem_of("{session} - {section} - {what}", NameParts("Low Tide", "Hall"))
    'Low Tide - Hall'
    """
    check_pattern(pattern)
    filled = pattern.format(**parts._asdict())
    filled = re.sub(r"(\s*[-_,.]\s*)(?:[-_,.]\s*)+", r"\1", filled)
    return file_stem(filled.strip(" -_,."), otherwise=parts.what or "print")


def apart(stems: Iterable[str], taken: Iterable[str] = ()) -> list[str]:
    """Stems that differ, whatever a file system thinks of case: the second of a name is numbered 2.

    >>> apart(["Hall", "hall", "Hall"], taken=["Mix"])
    ['Hall', 'hall 2', 'Hall 3']
    """
    used = {name.casefold() for name in taken}
    found: list[str] = []
    for stem in stems:
        free, number = stem, 1
        while free.casefold() in used:
            number += 1
            free = f"{stem} {number}"
        used.add(free.casefold())
        found.append(free)
    return found
