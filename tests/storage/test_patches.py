"""Patches between documents: they turn one into the other, both ways, and say no more than what differs."""

import json
import random
import unittest
from typing import Any

import jsonpatch

from gemischt.storage.patches import patch_between

CHANCE = random.Random(5)


def any_value(depth: int = 0) -> Any:
    kinds = ["number", "word", "nothing"] if depth == 3 else ["number", "word", "nothing", "list", "object", "object"]
    match CHANCE.choice(kinds):
        case "number":
            return CHANCE.choice([0, -3, 2.5, 7])
        case "word":
            return CHANCE.choice(["", "a/b", "~", "voice", "0"])
        case "nothing":
            return CHANCE.choice([None, True, False])
        case "list":
            return [any_value(depth + 1) for _ in range(CHANCE.randrange(4))]
        case _:
            return {CHANCE.choice("abcde/~0"): any_value(depth + 1) for _ in range(CHANCE.randrange(4))}


def changed(value: Any) -> Any:
    """The same with something else somewhere."""
    if isinstance(value, dict) and value and CHANCE.random() < 0.8:
        name = CHANCE.choice(list(value))
        return {**value, name: changed(value[name])}
    if isinstance(value, list) and value and CHANCE.random() < 0.6:
        place = CHANCE.randrange(len(value))
        return [*value[:place], changed(value[place]), *value[place + 1 :]]
    if isinstance(value, list) and CHANCE.random() < 0.7:
        return CHANCE.choice([value[1:], [*value, any_value(2)], value[::-1]])
    return any_value(1)


class PatchTest(unittest.TestCase):
    def test_any_change_can_be_made_and_taken_back(self) -> None:
        for number in range(400):
            old = {"name": "x", "strips": any_value(), "rest": any_value()}
            new = changed(old) if number % 2 else {"name": "x", "strips": any_value(), "new": any_value()}
            if not isinstance(new, dict):
                continue
            with self.subTest(old=old, new=new):
                self.assertEqual(jsonpatch.apply_patch(old, patch_between(old, new)), new)
                self.assertEqual(jsonpatch.apply_patch(new, patch_between(new, old)), old)

    def test_one_setting_is_one_step(self) -> None:
        old = {"strips": [{"id": k, "chain": [{"on": True}] * 3} for k in range(20)]}
        new = json.loads(json.dumps(old))
        new["strips"][7]["chain"][1]["on"] = False
        expected = [{"op": "replace", "path": "/strips/7/chain/1/on", "value": False}]
        self.assertEqual(json.loads(patch_between(old, new)), expected)

    def test_what_is_the_same_needs_nothing(self) -> None:
        self.assertEqual(patch_between({"a": [1, {"b": None}]}, {"a": [1, {"b": None}]}), "[]")
