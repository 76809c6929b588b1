"""Where things are, read from the environment once; the defaults suit ``make demo``."""

from __future__ import annotations

import os
from dataclasses import dataclass
from pathlib import Path

__all__ = ["Settings"]


@dataclass(frozen=True, kw_only=True)
class Settings:
    """Addresses and folders; servers on loopback only."""

    database_url: str
    redis_url: str
    data: Path
    secret_key: str
    upload_limit: int = 300 * 1024 * 1024
    """Bytes one request may carry."""
    depth_service: str = ""
    """Address of a service that estimates depth; none unless somebody runs one."""

    @classmethod
    def from_environment(cls) -> Settings:
        """Read ``VISTALINE_DATABASE``, ``VISTALINE_REDIS``, ``VISTALINE_DATA``, ``..._SECRET``."""
        environment = os.environ
        return cls(
            database_url=environment.get(
                "VISTALINE_DATABASE", "mysql+pymysql://vistaline@127.0.0.1:33731/vistaline"
            ),
            redis_url=environment.get("VISTALINE_REDIS", "redis://127.0.0.1:33732/0"),
            data=Path(environment.get("VISTALINE_DATA", "var/data")).resolve(),
            secret_key=environment.get("VISTALINE_SECRET", ""),
            depth_service=environment.get("VISTALINE_DEPTH_SERVICE", ""),
        )
