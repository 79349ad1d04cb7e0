"""What can be set from outside: by arguments, or by variables that begin with PAMPA_."""

import os
from pathlib import Path

from pydantic_settings import BaseSettings, SettingsConfigDict


class Settings(BaseSettings):
    """Settings of one running studio."""

    model_config = SettingsConfigDict(env_prefix="PAMPA_")

    data: Path = Path("data")
    host: str = "127.0.0.1"
    port: int = 8400
    names: list[str] = []
    """Names by which Pampa may be called from outside, once it has a password."""
    behind_tls: bool = False
    """A reverse proxy with TLS stands before it: cookies travel only there, and its word on who asks is believed."""
    workers: int = os.cpu_count() or 2
    scheduler: str = ""
    """The address of a Dask scheduler whose workers see the data folder under the same path: they do the jobs."""
    cache_bytes: int = 20 << 30
    largest_upload: int = 16 << 30
