"""Versions: saving, undo and redo, branches, and pages that are behind."""

import threading

import pytest
from conftest import Web
from sqlalchemy import func, select

from oatmeal.core.recipe import RecipeError, from_document
from oatmeal.library import history, photographs, versions
from oatmeal.library.errors import Behind, Invalid, Missing
from oatmeal.library.models import HistoryStep


def red(stops):
    return from_document({"oatmeal": 1, "mix": {"lifts": {"red": stops}}})


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
    assert second["undo"] == "red lift 1 → 2 stops"
    back = act(versions.undo, second["revision"])
    assert lift(back) == 1
    assert back["redo"] == "red lift 1 → 2 stops"
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
    assert at_start["redo"] == "red lift 0 → −1 stop"  # the newest branch
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


def test_bad_recipes_are_refused_and_nothing_changes(act):
    for document in ({"mix": {"lifts": {"red": 9}}}, {"areas": [{}]}, None):
        with pytest.raises(RecipeError):
            act(versions.save, 1, from_document(document))
    assert act.state()["revision"] == 1


def test_names(act):
    assert act(versions.rename, "  Dark   sky ").name == "Dark sky"
    with pytest.raises(Invalid):
        act(versions.rename, " ")


def test_a_version_that_is_not_there(database):
    with database.session() as session, pytest.raises(Missing):
        versions.get(session, 4711)


def test_the_last_two_cannot_be_deleted_at_the_same_moment(web, photograph, app):
    """Both at once, many times: one stays, and the bench opens."""
    for _ in range(8):
        web.send("POST", f"/api/versions/{photograph[2]}/duplicate", {})
        listed = web.client.get(f"/api/photographs/{photograph[1]}/versions").json["versions"]
        both = [one["id"] for one in listed]
        assert len(both) == 2
        start, statuses = threading.Barrier(2), []

        def delete(number, start=start, statuses=statuses):
            other = Web(app)
            start.wait()
            statuses.append(other.send("DELETE", f"/api/versions/{number}").status_code)

        threads = [threading.Thread(target=delete, args=(number,)) for number in both]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        assert sorted(statuses) == [200, 422]
        assert web.client.get(f"/bench/{photograph[1]}").status_code == 200
        left = web.client.get(f"/api/photographs/{photograph[1]}/versions").json["versions"]
        photograph = (*photograph[:2], left[0]["id"])


def names(database, photograph_id):
    with database.session() as session:
        return [
            (entry["name"], entry["shown"])
            for entry in versions.listed(photographs.get(session, photograph_id))
        ]


def test_versions_are_duplicated_ordered_shown_deleted_and_brought_back(act, database, photograph):
    whose = photograph[1]
    act(versions.save, 1, red(1))
    act(versions.pin, 2, [{"x": 0.5, "y": 0.5, "label": "balloon"}])
    second = act(versions.duplicate).id
    third = act(versions.duplicate).id
    assert names(database, whose) == [
        ("Version 1", True), ("Version 3", False), ("Version 2", False),
    ]  # fmt: skip
    with database.session() as session:
        begun = versions.state(session, versions.get(session, second))
        assert lift(begun) == 1
        assert begun["undo"] is None
        assert begun["pins"][0]["label"] == "balloon"
        versions.save(session, second, begun["revision"], red(-2))
        versions.reorder(session, whose, [second, act.id, third])
        versions.show(session, third)
    assert lift(act.state()) == 1  # the first is untouched by its copy
    assert names(database, whose) == [
        ("Version 2", False), ("Version 1", False), ("Version 3", True),
    ]  # fmt: skip
    with database.session() as session:
        versions.delete(session, third)
    assert names(database, whose) == [("Version 2", True), ("Version 1", False)]
    with database.session() as session, pytest.raises(Missing):
        versions.get(session, third)
    with database.session() as session:
        versions.restore(session, third)
    assert names(database, whose)[2] == ("Version 3", True)


def test_the_last_version_stays(act):
    with pytest.raises(Invalid):
        act(versions.delete)


def test_history_keeps_every_branch_and_goes_anywhere(act):
    first = act(versions.save, 1, red(1))
    second = act(versions.save, first["revision"], red(2))
    back = act(versions.undo, second["revision"])
    ahead = act(history.listed)["steps"]
    assert [step["aside"] for step in ahead] == [False] * 3  # redo leads there
    assert [step["now"] for step in ahead] == [False, True, False]
    branched = act(versions.save, back["revision"], red(-1))
    steps = act(history.listed)["steps"]
    assert [step["words"] for step in steps] == [
        "red lift 1 → −1 stop", "red lift 1 → 2 stops", "red lift 0 → 1 stop", "as taken",
    ]  # fmt: skip
    assert [step["aside"] for step in steps] == [False, True, False, False]
    assert [step["now"] for step in steps] == [True, False, False, False]
    there = act(history.go, branched["revision"], steps[1]["id"])
    assert lift(there) == 2
    assert there["undo"] == "red lift 1 → 2 stops"
    assert [step["aside"] for step in act(history.listed)["steps"]] == [True, False, False, False]
    assert len(act(history.listed)["steps"]) == 4  # going is no step of its own
    with pytest.raises(Behind):
        act(history.go, branched["revision"], steps[0]["id"])
    with pytest.raises(Missing):
        act(history.go, there["revision"], 4711)


def test_a_long_history_is_listed_page_by_page(act):
    """The newest, what is in force, and kept states however old; the rest is counted."""
    found = act(versions.save, 1, red(0.01))
    kept = found["head"]
    act(history.keep, kept, "first")
    for number in range(2, 12):
        found = act(versions.save, found["revision"], red(number / 100))
    for _ in range(8):
        found = act(versions.undo, found["revision"])
    listed = act(history.listed, 3)
    newest = [step["id"] for step in act(history.listed)["steps"]][:3]
    assert [step["id"] for step in listed["steps"]] == [*newest, found["head"], kept]
    assert [step["now"] for step in listed["steps"]] == [False, False, False, True, False]
    assert listed["earlier"] == 7
    assert act(history.listed)["earlier"] == 0


def test_a_state_is_kept_under_a_name_and_let_go(act):
    saved = act(versions.save, 1, red(1))
    act(versions.save, saved["revision"], red(2))
    step = act(history.listed)["steps"][1]["id"]
    act(history.keep, step, "  bright   balloon ")
    assert [entry["kept"] for entry in act(history.listed)["steps"]] == [
        None,
        "bright balloon",
        None,
    ]
    assert act(history.recipe, step).mix.lifts.red == 1
    act(history.keep, step, "")
    assert not any(entry["kept"] for entry in act(history.listed)["steps"])
