"""Settings: working defaults, overridden by environment variables that begin with FATSIGNAL_."""

import os
from functools import lru_cache
from pathlib import Path

from pydantic import Field
from pydantic_settings import BaseSettings, SettingsConfigDict


class Settings(BaseSettings):
    """Where things lie and how they are reached."""

    model_config = SettingsConfigDict(env_prefix="FATSIGNAL_")

    data: Path = Field(default=Path("data"), description="Folder of sessions, database and run files.")
    database_url: str = Field(default="", description="A PostgreSQL of the studio's own; empty: the one in `data`.")
    host: str = "127.0.0.1"
    port: int = 8417
    allowed_hosts: list[str] = Field(default_factory=list, description="Further names this server answers to.")
    rig_speed: float = Field(default=1.0, ge=0, description="Pace of the simulated rig; 0 is as fast as it computes.")
    workers: int = Field(
        default_factory=lambda: min(16, os.cpu_count() or 1), ge=0, le=16,
        description="Renders at once in the application, one a core; 0: elsewhere.",
    )  # fmt: skip
    largest_upload_bytes: int = 2 * 1024**3

    @property
    def sessions_folder(self) -> Path:
        return self.data / "sessions"

    @property
    def waves_folder(self) -> Path:
        return self.data / "waves"

    @property
    def uploads_folder(self) -> Path:
        return self.data / "uploads"

    @property
    def excerpts_folder(self) -> Path:
        return self.data / "excerpts"

    @property
    def responses_folder(self) -> Path:
        # The engine, which is told where it runs only, finds it beside that.
        return self.data / "responses"

    @property
    def parcels_folder(self) -> Path:
        return self.data / "parcels"

    @property
    def logs_folder(self) -> Path:
        return self.data / "logs"

    @property
    def run_folder(self) -> Path:
        return self.data / "run"


@lru_cache(maxsize=1)
def current_settings() -> Settings:
    """The settings of this process."""
    found = Settings()
    return found.model_copy(update={"data": found.data.resolve()})
