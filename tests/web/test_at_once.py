"""Many who ask for the same at once: each gets one, and nobody gets an error."""

from concurrent.futures import ThreadPoolExecutor

from tests.signals import plucks
from tests.web.test_imports import as_file, upload


def test_twelve_sessions_of_one_name_at_once(application):
    with ThreadPoolExecutor(12) as many:
        answers = list(many.map(lambda _: application.send("POST", "/api/sessions", {"name": "Kiln: two"}), range(12)))
    assert {status for status, _ in answers} == {201}
    folders = {answer["folder"] for _, answer in answers}
    assert len(folders) == 12
    assert all((application.data / "sessions" / folder).is_dir() for folder in folders)


def test_twelve_imports_into_one_part_at_once(application):
    before = {take["number"] for take in application.takes()}
    sound = as_file(plucks(1.0))
    with ThreadPoolExecutor(12) as many:
        answers = list(many.map(lambda _: upload(application, {"di.wav": sound}), range(12)))
    assert {status for status, _ in answers} == {201}
    numbers = {answer["number"] for _, answer in answers}
    assert len(numbers) == 12
    assert not numbers & before
    assert len({answer["folder"] for _, answer in answers}) == 12


def test_a_session_on_a_disk_that_refuses_is_a_sentence(application):
    (application.data / "sessions").rename(application.data / "elsewhere")
    (application.data / "sessions").write_text("a file where the folder was")
    try:
        status, problem = application.send("POST", "/api/sessions", {"name": "Nowhere"})
    finally:
        (application.data / "sessions").unlink()
        (application.data / "elsewhere").rename(application.data / "sessions")
    assert status == 422
    assert "no folder can be made for the session" in problem["detail"]
    assert "Nowhere" not in [each["name"] for each in application.get("/api/sessions")]
