"""Several clients at once: rows are locked in one order, and what gave way is done again."""

import threading

import pytest
from conftest import Web
from samples import codes, png
from sqlalchemy import select
from sqlalchemy.exc import OperationalError

from oatmeal.library import photographs
from oatmeal.library.models import Version

FRAMES = 6
ROUNDS = 12


@pytest.fixture
def frames(web):
    series = web.series()
    for seed in range(FRAMES):
        web.upload(series, f"{seed}.png", png(codes(20, 30, seed=seed)))
    return web


def side_by_side(*works):
    threads = [threading.Thread(target=work) for work in works]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(60)
    assert not any(thread.is_alive() for thread in threads)


def test_apply_and_undo_by_several_clients_in_opposite_order(app, frames, database, monkeypatch):
    """Nothing gives way, since all lock in the order of the versions' numbers."""
    monkeypatch.setattr(database, "repeated", lambda work: work())
    together, statuses = threading.Barrier(4), []

    def client(turned, veil):
        web = Web(app)
        for round_ in range(ROUNDS):
            together.wait(30)
            numbers = range(1, FRAMES + 1)[:: -1 if turned else 1]
            wanted = [
                {
                    "version": number,
                    "revision": web.client.get(f"/api/versions/{number}").json["revision"],
                    "recipe": {"tone": {"veil": veil + round_}},
                }
                for number in numbers
            ]
            reply = web.send("POST", "/api/apply", {"frames": wanted, "words": "all"})
            statuses.append(reply.status_code)
            done = reply.json.get("done", [])
            statuses.append(web.send("POST", "/api/apply/undo", {"done": done}).status_code)

    side_by_side(*(lambda n=n: client(n % 2 == 1, 1 + 20 * n) for n in range(4)))
    assert statuses == [200] * (2 * 4 * ROUNDS)


def lock(session, number):
    session.scalar(select(Version).where(Version.id == number).with_for_update())


def test_a_transaction_that_gave_way_is_repeated(frames, database):
    """Two lock two rows in opposite order; the database chooses one, which then does it again."""
    both, tries, done = threading.Barrier(2), [], []

    def client(first, second):
        def work():
            tries.append(first)
            with database.session() as session:
                lock(session, first)
                if tries.count(first) == 1:
                    both.wait(10)
                lock(session, second)

        database.repeated(work)
        done.append(first)

    side_by_side(lambda: client(1, 2), lambda: client(2, 1))
    assert sorted(done) == [1, 2]
    assert len(tries) == 3


def test_a_request_that_gave_way_is_done_again_and_stored_once(web, photograph, database):
    """The first try of the view is told of a deadlock, as the database tells it."""
    session, tries = database.session, []

    class Deadlock(Exception):
        args = (1213, "Deadlock found when trying to get lock; try restarting transaction")

    def troubled():
        tries.append(1)
        if len(tries) == 1:
            raise OperationalError("UPDATE", {}, Deadlock())
        return session()

    database.session = troubled
    try:
        saved = web.send(
            "PUT", "/api/versions/1/recipe", {"revision": 1, "recipe": {"tone": {"veil": 9}}}
        )
    finally:
        del database.session
    assert saved.status_code == 200
    assert saved.json["revision"] == 2
    assert len(tries) == 2


class Interrupted:
    """A session in which something happens elsewhere after the first question."""

    def __init__(self, session, meanwhile):
        self.session, self.meanwhile = session, [meanwhile]

    def execute(self, question):
        found = self.session.execute(question)
        while self.meanwhile:
            self.meanwhile.pop()()
        return found


def test_a_sheet_is_read_while_photographs_come_and_go(frames, database):
    def add():
        late = png(codes(20, 30, seed=FRAMES))
        assert frames.upload(1, "late.png", late).status_code == 200

    def remove():
        assert (
            frames.send("POST", "/api/photographs/remove", {"photographs": [2]}).status_code == 200
        )

    def listed(meanwhile):
        with database.session() as session:
            return [one.id for one in photographs.cards(Interrupted(session, meanwhile), 1)]

    assert listed(add) == [1, 2, 3, 4, 5, 6]
    assert listed(remove) == [1, 3, 4, 5, 6, 7]
    assert listed(lambda: None) == [1, 3, 4, 5, 6, 7]
