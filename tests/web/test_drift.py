"""What is generated is what it is generated from: the API's document, the live messages, and the front end's types."""

import json
import subprocess
from pathlib import Path

import pytest

from fatsignal.web.app import create_app
from fatsignal.web.live_messages import LIVE_MESSAGE

FRONT = Path(__file__).resolve().parents[2] / "frontend"


def test_the_kept_document_of_the_api_is_that_of_the_application():
    kept = json.loads((FRONT / "openapi.json").read_text())
    assert kept == create_app().openapi(), "run: python -m fatsignal.cli openapi > frontend/openapi.json"


def test_every_live_message_is_described():
    described = json.loads((FRONT / "openapi.json").read_text())["components"]["schemas"]["LiveMessage"]
    told = set(described["discriminator"]["mapping"])
    wanted = LIVE_MESSAGE.json_schema(mode="serialization")["discriminator"]["mapping"]
    assert told == set(wanted) >= {"state", "meters", "work", "take", "print", "notice", "changed"}


@pytest.mark.slow
def test_the_types_of_the_front_end_are_made_from_it(tmp_path):
    made = tmp_path / "schema.d.ts"
    command = ["npx", "--no-install", "openapi-typescript", "openapi.json", "-o", str(made)]
    subprocess.run(command, cwd=FRONT, check=True, capture_output=True)
    assert made.read_text() == (FRONT / "src" / "api" / "schema.d.ts").read_text(), "run: npm run types"
