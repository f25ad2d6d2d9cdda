"""What tracks are called that come from files: without the song's name and the number that put the files in order."""

import re
from collections.abc import Sequence

_NUMBERED = re.compile(r"^(?P<number>\d{1,3})(?:[ _.-]+)(?P<name>.*\S.*)$")
_PREFIXED = re.compile(r"^(?P<song>\D.*?)(?:[_-]| - )(?P<number>\d{1,3})[ _.-]+(?P<name>.*\S.*)$")


def tidy_names(stems: Sequence[str]) -> list[str]:
    """Names of tracks for the stems of files that come in together.

    A number in front goes if every file has one, or if it is padded with zeros; what stands before the number goes with
    it if it is the same for all. Names that would be alike stay as they are.

    >>> tidy_names(["Song_01 Kick In", "Song_02 Snare"]), tidy_names(["808 Bass", "Snare"]), tidy_names(["01 Kick"])
    (['Kick In', 'Snare'], ['808 Bass', 'Snare'], ['Kick'])
    """
    found = _without(stems, _PREFIXED, same_song=True) or _without(stems, _NUMBERED) or list(stems)
    tidied = [name.replace("_", " ").strip() for name in found]
    return tidied if len(set(tidied)) == len(tidied) else list(stems)


def _without(stems: Sequence[str], pattern: re.Pattern[str], *, same_song: bool = False) -> list[str] | None:
    matches = [pattern.match(stem) for stem in stems]
    whole = [match for match in matches if match is not None]
    if len(whole) < len(stems):
        return None
    if same_song and len({match["song"] for match in whole}) > 1:
        return None
    if len(stems) == 1 and not same_song and not whole[0]["number"].startswith("0"):
        return None
    numbers = [int(match["number"]) for match in whole]
    return [match["name"] for match in whole] if len(set(numbers)) == len(numbers) else None
