"""What lies on the bench, compared blind: under letters, equally loud, the same from the first round to the last."""

from tests.web.test_bench import bench  # noqa: F401


async def begin(bench, keys, expect=201):  # noqa: F811
    body = {"kind": "tone", "sounds": keys}
    answer = await bench.client.post(f"/api/parts/{bench.song.part['id']}/blind-tests", json=body)
    assert answer.status_code == expect, answer.text
    return answer.json()


async def choose(bench, test, letter, number, expect=200):  # noqa: F811
    body = {"letter": letter, "number": number}
    answer = await bench.client.post(f"/api/blind-tests/{test['id']}/choose", json=body)
    assert answer.status_code == expect, answer.text
    return answer.json()


async def test_a_tone_and_the_amp_are_compared_blind_and_told_at_the_end(bench):  # noqa: F811
    await bench.turn(6.0)
    # One that is louder would be chosen for that: first it is measured.
    early = await begin(bench, ["tone", "mic"], expect=422)
    assert "how loud the sounds are is still measured" in early["detail"]
    await bench.ask("get", "/measured")
    test = await begin(bench, ["tone", "mic", "kept"])
    assert sorted(test["dealt"]) == ["kept", "mic", "tone"]
    assert (test["counts"], test["says"]) == ([], "")
    for number in range(5):
        test = await choose(bench, test, "ABC"[test["dealt"].index("mic")], number)
    newest = await bench.client.get(f"/api/parts/{bench.song.part['id']}/blind-tests/newest", params={"kind": "tone"})
    assert newest.json() == test
    told = (await bench.client.post(f"/api/blind-tests/{test['id']}/reveal")).json()
    assert told["favourite"] == "mic"
    assert told["counts"][0] == {"sound": "mic", "count": 5}
    # Five of five among three by chance, whichever it is: 3 × 3⁻⁵.
    assert abs(told["chance"] - 3**-4) < 1e-9


async def test_what_is_turned_meanwhile_ends_it(bench):  # noqa: F811
    await bench.turn(6.0)
    await bench.ask("get", "/measured")
    test = await begin(bench, ["tone", "mic"])
    test = await choose(bench, test, "A", 0)
    await bench.turn(7.0)
    refused = await choose(bench, test, "A", 1, expect=422)
    assert "was changed since this test began: reveal it, and begin another" in refused["detail"]
    await bench.turn(6.0)
    assert (await choose(bench, test, "A", 1))["decided"] == 2
    # A sound that is not in it may come and go.
    await bench.ask("post", "/aside", {"letter": "A"})
    assert (await choose(bench, test, "B", 2))["decided"] == 3


async def test_sounds_that_are_not_there_are_refused(bench):  # noqa: F811
    await bench.ask("get", "/measured")
    await begin(bench, ["tone", "B"], expect=422)
    await begin(bench, ["tone"], expect=422)
    await begin(bench, ["tone", "tone"], expect=422)
    body = {"kind": "trial", "sounds": ["tone", "mic"]}
    answer = await bench.client.post(f"/api/parts/{bench.song.part['id']}/blind-tests", json=body)
    assert answer.status_code == 422
    assert "is no trial and no version" in answer.json()["detail"]
