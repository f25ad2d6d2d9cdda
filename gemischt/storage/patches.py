"""JSON patches between two versions of a document.

Reference: RFC 6902 (patches), RFC 6901 (pointers).
"""

from typing import Any

import jsonpatch


def patch_between(old: dict[str, Any], new: dict[str, Any]) -> str:
    """What turns ``old`` into ``new``.

    The library looks at everything in every list; what is the same is therefore kept from it.
    """
    return str(jsonpatch.make_patch(*_differing(old, new)).to_string())


def _differing(old: Any, new: Any) -> tuple[Any, Any]:
    """Both without what they share. Lists of one length become objects by place, which pointers write the same way."""
    if isinstance(old, list) and isinstance(new, list) and len(old) == len(new):
        old, new = ({str(place): item for place, item in enumerate(items)} for items in (old, new))
    if not (isinstance(old, dict) and isinstance(new, dict)):
        return old, new
    kept_old: dict[str, Any] = {}
    kept_new: dict[str, Any] = {}
    for name in old.keys() | new.keys():
        if name in old and name in new:
            if old[name] != new[name]:
                kept_old[name], kept_new[name] = _differing(old[name], new[name])
        elif name in old:
            kept_old[name] = old[name]
        else:
            kept_new[name] = new[name]
    return kept_old, kept_new
