"""Versions: saving, undo and redo, branches, and pages that are behind."""

import threading

import pytest
from sqlalchemy import func, select

from oatmeal.core.recipe import RecipeError
from oatmeal.library import versions
from oatmeal.library.errors import Behind, Invalid, Missing
from oatmeal.library.models import HistoryStep


def red(stops):
    return {"oatmeal": 1, "mix": {"lifts": {"red": stops}}}


def lift(state):
    return state["recipe"]["mix"]["lifts"]["red"]


@pytest.fixture
def act(database, photograph):
    """Call a function of the versions module in its own transaction."""
    version_id = photograph[2]

    def call(function, *arguments):
        with database.session() as session:
            return function(session, version_id, *arguments)

    call.id = version_id
    call.state = lambda: call(
        lambda session, number: versions.state(session, versions.get(session, number))
    )
    return call


def test_each_save_is_one_undo_step(act):
    first = act(versions.save, 1, red(1))
    second = act(versions.save, first["revision"], red(2))
    assert second["undo"] == "red lift 1 → 2"
    back = act(versions.undo, second["revision"])
    assert lift(back) == 1
    assert back["redo"] == "red lift 1 → 2"
    again = act(versions.undo, back["revision"])
    assert lift(again) == 0
    assert again["undo"] is None
    forward = act(versions.redo, again["revision"])
    assert lift(forward) == 1
    with pytest.raises(Invalid):
        act(versions.undo, act(versions.undo, forward["revision"])["revision"])


def test_saving_the_same_again_is_no_step(act):
    first = act(versions.save, 1, red(1))
    assert act(versions.save, first["revision"], red(1))["revision"] == first["revision"]


def test_a_change_after_undo_begins_a_branch_and_keeps_the_old_one(act, database):
    first = act(versions.save, 1, red(1))
    back = act(versions.undo, first["revision"])
    branched = act(versions.save, back["revision"], red(-1))
    assert branched["redo"] is None
    at_start = act(versions.undo, branched["revision"])
    assert at_start["redo"] == "red lift 0 → −1"  # the newest branch
    with database.session() as session:
        assert session.scalar(select(func.count(HistoryStep.id))) == 3


def test_a_page_that_is_behind_is_told_and_nothing_is_overwritten(act):
    newer = act(versions.save, 1, red(1))
    with pytest.raises(Behind) as caught:
        act(versions.save, 1, red(3))
    assert caught.value.current["revision"] == newer["revision"]
    assert lift(caught.value.current) == 1
    assert lift(act.state()) == 1
    for step in (versions.undo, versions.redo):
        with pytest.raises(Behind):
            act(step, 1)


def test_of_two_at_the_same_moment_one_wins(act):
    results = []

    def save(stops):
        try:
            results.append(act(versions.save, 1, red(stops))["revision"])
        except Behind:
            results.append("behind")

    threads = [threading.Thread(target=save, args=(stops,)) for stops in (1, 2, 3, 4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert sorted(map(str, results)) == ["2", "behind", "behind", "behind"]


def test_bad_and_unbuilt_recipes_are_refused_and_nothing_changes(act):
    for document in ({"mix": {"lifts": {"red": 9}}}, {"areas": [{}]}, None):
        with pytest.raises(RecipeError):
            act(versions.save, 1, document)
    assert act.state()["revision"] == 1


def test_names(act):
    assert act(versions.rename, "  Dark   sky ").name == "Dark sky"
    with pytest.raises(Invalid):
        act(versions.rename, " ")


def test_a_version_that_is_not_there(database):
    with database.session() as session, pytest.raises(Missing):
        versions.get(session, 4711)
