"""A song of eight bars with takes of it, comped by the application's own routes."""

import io

import numpy as np
import soundfile

from tests.signals import FS, plucks

BAR = FS
SECTIONS = [
    {"name": "Verse", "first_bar": 1, "bars": 4, "phrase_bars": 2},
    {"name": "Chorus", "first_bar": 5, "bars": 4, "phrase_bars": 2},
]


class Song:
    """Eight bars in two sections, and takes of all of it, each its own plucks dry and miked."""

    def __init__(self, client):
        self.client = client
        self.takes = []
        self.played = {}

    async def make(self, *seeds):
        made = (await self.client.post("/api/sessions", json={"name": "Comp", "tempo": "240", "rate_hz": FS})).json()
        self.address = f"/api/sessions/{made['id']}"
        self.part = (
            await self.client.post(f"{self.address}/parts", json={"name": "Lead", "instrument": "baritone guitar"})
        ).json()
        await self.put("/sections", {"sections": SECTIONS})
        for seed in seeds:
            await self.add_take(seed)
        return self

    async def add_take(self, seed, level=1.0, late_s=0.0, kinds=("di", "mic")):
        dry = np.roll(level * plucks(8.0, seed=seed), round(late_s * FS))
        sounds = {"DI.wav": dry, "mic A.wav": 0.5 * np.roll(dry, 48)}
        files = []
        sounds = {name: samples for name, samples in sounds.items() if name.split(".")[0].split()[0].lower() in kinds}
        for name, samples in sounds.items():
            written = io.BytesIO()
            soundfile.write(written, samples, FS, format="WAV", subtype="FLOAT")
            files.append(("files", (name, written.getvalue())))
        data = {"part_id": self.part["id"], "kinds": ",".join(kinds), "placing": "bar", "bar": "1"}
        taken = await self.client.post(f"{self.address}/imports", files=files, data=data)
        assert taken.status_code == 201, taken.text
        self.takes.append(taken.json())
        self.played[taken.json()["id"]] = sounds
        return taken.json()

    async def put(self, path, body):
        answer = await self.client.put(f"{self.address}{path}", json=body)
        assert answer.status_code < 300, answer.text
        return answer.json()

    async def comp(self, act=None, expect=200, **body):
        address = f"/api/parts/{self.part['id']}/comp"
        answer = await (self.client.post(f"{address}/{act}", json=body) if act else self.client.get(address))
        assert answer.status_code == expect, answer.text
        return answer.json()

    def bars(self, first, last):
        start = self.takes[0]["from_frame"]
        return {"from_frame": start + (first - 1) * BAR, "to_frame": start + last * BAR}

    async def use(self, number, first, last):
        return await self.comp("use", take_id=self.takes[number]["id"], **self.bars(first, last))

    async def heard(self, first, last, kind="di"):
        """What the part sounds like, shape (frames,)."""
        session = (await self.client.get(f"{self.address}/playing")).json()
        (track,) = (each for each in session if each["part_id"] == self.part["id"])
        begins = track["channels"][0]["from_frame"]
        span = self.bars(first, last)
        query = f"from_frame={span['from_frame'] - begins}&frames={span['to_frame'] - span['from_frame']}&kind={kind}"
        answer = await self.client.get(f"/api/materials/{self.part['id']}/sound?{query}")
        assert answer.status_code == 200, answer.text
        return np.frombuffer(answer.content, "<f4")

    def of_take(self, number, first, last, name="DI.wav"):
        return self.played[self.takes[number]["id"]][name][(first - 1) * BAR : last * BAR].astype("f4")


def pieces(comp, line):
    return [(piece["take_number"], piece["settled"]) for piece in comp["lines"][line]["pieces"]]
