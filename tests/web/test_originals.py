"""Originals that went missing or changed on the disk, and cache files that were emptied."""

import pytest

SIDE = {"recipe": {}, "side": 64}
REGION = SIDE | {"region": [0, 0, 20, 20]}


@pytest.fixture
def original(store, photograph):
    return next(store.originals.rglob("*.jpg"))


def damage(path):
    """One byte in the middle, as a failing disk leaves it; the picture still opens."""
    content = bytearray(path.read_bytes())
    content[len(content) // 2] ^= 1
    path.chmod(0o644)
    path.write_bytes(content)


def lose(path):
    path.unlink()


def empty(path):
    path.chmod(0o644)
    path.write_bytes(b"")


@pytest.mark.parametrize(
    ("harm", "found"), [(damage, "damaged"), (lose, "missing"), (empty, "damaged")]
)
def test_a_lost_original_is_said_and_put_back_by_importing_it(
    web, photograph, original, jpeg, harm, found
):
    harm(original)
    words = f"The original of first-lift.jpg in Oatmeal's folder is {found}: add the same file"
    for address, body in (("frame", REGION), ("ready", {})):
        reply = web.send("POST", f"/api/photographs/{photograph[1]}/{address}", body)
        assert reply.status_code == 422
        assert reply.json["detail"].startswith(words)
    reply = web.send("POST", f"/api/versions/{photograph[2]}/finished", {"format": "png"})
    assert reply.json["detail"].startswith(words)
    # the reduced copies are whole: work goes on
    assert web.send("POST", f"/api/photographs/{photograph[1]}/frame", SIDE).status_code == 200
    again = web.upload(photograph[0], "first-lift.jpg", jpeg).json
    assert again["id"] == photograph[1]
    assert again["note"] == "The original of “First lift” was lost or damaged; it is put back."
    assert original.read_bytes() == jpeg
    reply = web.send("POST", f"/api/photographs/{photograph[1]}/frame", REGION)
    assert reply.status_code == 200
    third = web.upload(photograph[0], "first-lift.jpg", jpeg).json
    assert "was not added again" in third["note"]


def test_without_copies_a_lost_original_is_a_sentence_too(web, photograph, original, store):
    lose(original)
    for path in store.cache.rglob("*.*"):
        path.unlink()
    for address in (f"/pictures/{photograph[1]}.jpg", f"/api/photographs/{photograph[1]}/check"):
        reply = web.client.get(address)
        assert reply.status_code == 422
        assert b"first-lift.jpg" in reply.data
    assert web.client.get(f"/bench/{photograph[1]}").status_code == 200
    assert web.send("POST", f"/api/photographs/{photograph[1]}/frame", SIDE).status_code == 422


def test_another_series_that_takes_in_the_same_file_mends_it(web, photograph, original, jpeg):
    damage(original)
    added = web.upload(web.series("Second"), "copy.jpg", jpeg)
    assert added.status_code == 200
    assert original.read_bytes() == jpeg


def test_emptied_cache_files_are_made_again(web, photograph, store):
    form = {"format": "jpeg"}
    addresses = (
        f"/pictures/{photograph[1]}.jpg", f"/api/photographs/{photograph[1]}/check",
        f"/versions/{photograph[2]}/finished?format=jpeg",
    )  # fmt: skip
    told = web.send("POST", f"/api/versions/{photograph[2]}/finished", form).json
    before = [web.client.get(address).data for address in addresses]
    assert len(before[2]) == told["bytes"] > 0
    for path in store.cache.rglob("*.*"):
        path.write_bytes(b"")
    assert [web.client.get(address).data for address in addresses] == before
