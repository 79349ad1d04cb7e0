"""Killed at every place where something is written down: what was acknowledged is there, nothing is half there."""

import json
from collections import Counter

import pytest
from sqlalchemy import text

from pampa.store.database import MIGRATIONS, Sessions, engine_for, known_states
from pampa.store.models import Show
from tests.conftest import linked_copy, write_talk
from tests.trust.scenario import (
    EDITS,
    lay_up_and_bring_back,
    look,
    look_for_the_talk,
    noted,
    open_only,
    start,
    was_killed,
    work_a_while,
)  # fmt: skip

SECONDS = 2
SHARES = 4
"""Dealt out among the processes of a test run."""


@pytest.fixture(scope="module")
def sound(tmp_path_factory):
    folder = tmp_path_factory.mktemp("sound")
    write_talk(folder / "anders_local.wav", 1, 2)
    return write_talk(folder / "marisol_local.wav", SECONDS, 1)


def passed(work, *arguments, tmp_path):
    """The fault points that some work passes, by name and count."""
    told = tmp_path / "points"
    assert start(work, *arguments, fault=f"tell:{told}") == 0
    return list(dict.fromkeys(told.read_text().split()))


@pytest.mark.parametrize("share", range(SHARES))
def test_a_kill_at_any_point_loses_nothing_that_was_acknowledged(tmp_path, sound, share):
    points = passed(work_a_while, tmp_path / "whole", sound, tmp_path / "told", tmp_path=tmp_path)
    kinds = {point.split(":")[0] for point in points}
    assert {"migration", "commit", "received", "kept", "whole", "whole-folder", "delete"} <= kinds
    assert len(points) > 30
    killed = 0
    points = told_apart(points)[share::SHARES]
    for n, point in enumerate(points):
        data, told, found = (tmp_path / f"{n}-{name}" for name in ("data", "told", "found"))
        killed += was_killed(start(work_a_while, data, sound, told, fault=point))
        assert start(look, data, found) == 0, f"after a kill at {point} the folder does not open"
        complain(point, dict(map(tuple, noted(told))), json.loads(found.read_text()))
    # Threads pass the points in a slightly different order each time, so a few of the last are not reached.
    assert killed > 0.8 * len(points)


def told_apart(points):
    """Of places that are passed again and again, the first three, and then every second."""
    passed_before, kept = Counter(), []
    for point in points:
        kind = point.split(":")[0]
        passed_before[kind] += 1
        if passed_before[kind] <= 3 or passed_before[kind] % 2:
            kept.append(point)
    return kept


def complain(point, told, found):
    """Assert that all that was acknowledged is there, and nothing of what was not is there by half."""
    assert found["integrity"] == "ok", point
    assert found["half"] == [], point
    if "episode" not in told:
        return
    [episode] = found["episodes"]
    assert episode["jobs"] == [], point
    assert all(episode["originals"]), point
    states = {state for _, state in episode["recordings"]}
    assert states <= {"ready"}, (point, episode)
    whole = told.get("received", 0) > 0 and "marker" in told
    if whole or (told.get("received") and told["received"] >= 44 + SECONDS * 48_000 * 3):
        assert len(episode["recordings"]) >= 1, point
        assert episode["clips"][0] == 1, point
    markers = told.get("marker", -1) + 1
    at_most = EDITS if markers == EDITS else markers + 1
    at_least = EDITS - 1 if markers == EDITS else markers
    assert at_least <= episode["markers"] <= at_most, point
    if "undone" in told:
        assert episode["markers"] == EDITS - 1, point
    if "delivery" in told:
        assert episode["deliveries"] == [SECONDS * 48_000], point


@pytest.mark.parametrize("older", [None, "0004", "0008"])
def test_a_kill_during_an_upgrade_leaves_the_folder_as_it_was_or_as_it_will_be(tmp_path, older):
    if older:
        make_old(tmp_path / "whole" / "pampa.db", older)
    points = passed(open_only, tmp_path / "whole" / "pampa.db", tmp_path=tmp_path)
    steps = [point for point in points if point.startswith("migration")]
    assert len(steps) == len(known_states()) - (known_states().index(older) + 1 if older else 0)
    for n, point in enumerate(points):
        path = tmp_path / str(n) / "pampa.db"
        if older:
            make_old(path, older)
        assert was_killed(start(open_only, path, fault=point)), point
        assert start(open_only, path) == 0, f"after a kill at {point} the database does not open"
        with Sessions(engine_for(path))() as session:
            assert [show.name for show in session.query(Show)] == (["Slack Water"] if older else [])
        copies = sorted((path.parent / "copies").glob("*.db")) if older else []
        assert not older or copies


def make_old(path, state):
    """A database as an older release left it, with a show in it."""
    from alembic import command
    from alembic.config import Config

    path.parent.mkdir(parents=True, exist_ok=True)
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    with engine_for(path).begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, state)
        connection.execute(text("INSERT INTO shows VALUES (1, 'Slack Water', 'Marisol Vey', 0, '2026-01-01')"))


@pytest.mark.parametrize("share", range(2))
def test_a_kill_while_an_episode_is_laid_up_freed_and_brought_back_loses_nothing(tmp_path, two_people_data, share):
    linked_copy(two_people_data, tmp_path / "whole")
    points = passed(lay_up_and_bring_back, tmp_path / "whole", tmp_path=tmp_path)
    assert {"whole", "laid-up", "delete", "brought-originals", "commit"} <= {point.split(":")[0] for point in points}
    for n, point in enumerate(points[share::2]):
        data, found = tmp_path / f"{n}-data", tmp_path / f"{n}-found"
        linked_copy(two_people_data, data)
        start(lay_up_and_bring_back, data, fault=point)
        assert start(look_for_the_talk, data, found) == 0, f"after a kill at {point} the folder does not open"
        told = json.loads(found.read_text())
        assert told["half"] == [], point
        assert told["frames"], f"after a kill at {point} the episode is nowhere"
        assert all(frames == [12 * 48_000, True] for frames in told["frames"]), (point, told)
