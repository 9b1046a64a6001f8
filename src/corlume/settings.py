"""Settings of the application, from the environment: each name below with CORLUME_ in front."""

from __future__ import annotations

from pathlib import Path

from pydantic import Field
from pydantic_settings import BaseSettings, SettingsConfigDict


class Settings(BaseSettings):
    """What can be set from outside; docs/settings.md is checked against this table."""

    model_config = SettingsConfigDict(env_prefix="CORLUME_", frozen=True)

    port: int = Field(8420, ge=0, le=65535, description="Port to serve on; 0 takes a free one.")
    host: str = Field("127.0.0.1", description="Address to bind to. Loopback unless you say otherwise.")
    hosts: str = Field(
        "localhost,127.0.0.1,[::1]", description="Host names that requests may be addressed to, with commas between."
    )
    meter: str = Field(
        "127.0.0.1:8424",
        description="Where a PAR meter, or the bridge of one, listens on this machine.",
    )
    controller: str = Field(
        "http://127.0.0.1:8425",
        description="Where a light controller is: http://host:port, or mqtt://host:port of a broker.",
    )
    data: Path = Field(Path.home() / ".local" / "share" / "corlume", description="Folder that holds the database.")
