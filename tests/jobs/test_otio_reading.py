"""Timelines from elsewhere never end the program: too deep, of shapes that the library falls over, with times that
are none.
"""

from __future__ import annotations

import json
import random
from fractions import Fraction
from pathlib import Path
from typing import Any

import opentimelineio as otio
import pytest
from tests.conftest import demo_template

from idle_quarry.errors import NotUnderstood, QuarryError
from idle_quarry.jobs.conform.lists import read_list
from idle_quarry.jobs.contents import contents_against
from idle_quarry.jobs.timelines import timeline_of

_STACK = b'{"OTIO_SCHEMA":"Stack.1","name":"n","children":['


def _programme() -> dict[str, Any]:
    """Return a timeline of the demo with a clip, a dissolve and a nested stack in it, as plain values."""
    template = demo_template("House HD 50i")
    result = timeline_of(template, template.timelines[0])
    time, span = otio.opentime.RationalTime, otio.opentime.TimeRange
    clip = otio.schema.Clip("gulls", otio.schema.ExternalReference("gulls.mov"), span(time(0, 25), time(50, 25)))
    clip.effects.append(otio.schema.LinearTimeWarp(time_scalar=2.0))
    inside = otio.schema.Track()
    inside.append(clip.deepcopy())
    nested = otio.schema.Stack("inside")
    nested.append(inside)
    change = otio.schema.Transition("x", "SMPTE_Dissolve", time(5, 25), time(5, 25))
    result.tracks[0].extend([clip, change, clip.deepcopy(), nested])
    plain: dict[str, Any] = json.loads(otio.adapters.write_to_string(result, "otio_json"))
    return plain


#: A clip that says it is of the first version, with the second's media, in lists that say nothing: the library falls
#: over it.
OLD_CLIP = (
    b'{"tracks": {"children": [{"children": [{"OTIO_SCHEMA": "Clip.1", "media_references": '
    b'{"DEFAULT_MEDIA": {"OTIO_SCHEMA": "ExternalReference.1"}}}]}]}}'
)


def _odd_rate() -> bytes:
    given = _programme()
    given["global_start_time"]["rate"] = 1e-300
    del given["metadata"]["idle_quarry"]
    for clip in given["tracks"]["children"][0]["children"][:1]:
        clip["source_range"]["duration"]["rate"] = 1e-300
    return json.dumps(given).encode()


ATTACKS = {
    "brackets": (b"[" * 50_000, "deep"),
    "hidden": (b'["\\"[", "' + b"[" * 999 + b'", ' + b"[" * 500 + b"]" * 501, "deep"),
    "stacks": (_STACK * 3000 + b"]}" * 3000, "deep"),
    "old clip": (OLD_CLIP, "ends the program"),
    "odd rate": (_odd_rate(), "frame rate"),
}


@pytest.mark.parametrize("attack", ATTACKS)
def test_what_ends_a_reader_is_refused_in_a_sentence(tmp_path: Path, attack: str) -> None:
    data, words = ATTACKS[attack]
    path = tmp_path / "a.otio"
    path.write_bytes(data)
    for _again in range(2):  # nothing of it is held for good
        with pytest.raises(NotUnderstood, match=words):
            read_list(path, Fraction(25))


def test_a_job_whose_timeline_is_an_attack_is_still_looked_at(tmp_path: Path) -> None:
    template = demo_template("House HD 50i")
    name = f"Timelines/{template.timelines[0].name}.otio"
    (tmp_path / "Timelines").mkdir()
    for data, _words in [*ATTACKS.values(), (b'{"OTIO_SCHEMA":"Timeline.1","global_start_time":{"value":1e400}}', "")]:
        (tmp_path / name).write_bytes(data)
        lines = dict(contents_against(tmp_path, template, {}))
        assert name in lines
    (tmp_path / name).write_text(json.dumps(_programme()))
    assert name not in dict(contents_against(tmp_path, template, {}))


def test_what_one_reading_ends_the_next_does_not_hear_of(tmp_path: Path) -> None:
    whole, bad = tmp_path / "whole.otio", tmp_path / "bad.otio"
    bad.write_bytes(OLD_CLIP)
    for number in range(2):
        whole.write_text(json.dumps(_programme() | {"name": f"number {number}"}))
        assert read_list(whole, Fraction(25)).timeline.name == f"number {number}"
        with pytest.raises(NotUnderstood):
            read_list(bad, Fraction(25))


def _turned(given: Any, chance: random.Random) -> Any:
    """Put something else in one place of plain values."""
    places = (
        [(given, key) for key in given]
        if isinstance(given, dict)
        else list(zip([given] * len(given), range(len(given)), strict=True))
    )
    inner = [(holder, key) for holder, key in places if isinstance(holder[key], dict | list) and holder[key]]
    if inner and chance.random() < 0.85:
        holder, key = chance.choice(inner)
        _turned(holder[key], chance)
    else:
        holder, key = chance.choice(places)
        holder[key] = chance.choice(
            [None, -1, 1e300, "", [], {}, {"OTIO_SCHEMA": "Clip.99"}, {"OTIO_SCHEMA": "Track.1"}, [None], "Clip.1"]
        )
    return given


def test_any_turned_timeline_is_read_or_refused(tmp_path: Path) -> None:
    path = tmp_path / "turned.otio"
    read = 0
    for seed in range(120):
        path.write_text(json.dumps(_turned(_programme(), random.Random(seed))))
        try:
            read += read_list(path, Fraction(25)).timeline is not None
        except QuarryError as error:
            assert path.name in str(error) and "Traceback" not in str(error)
    assert 10 < read < 120
