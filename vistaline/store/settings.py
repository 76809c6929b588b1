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
    bucket: str = ""
    """Address of a bucket that is the file store, such as ``s3://name/folder``; "" is ``data``."""
    cache_limit: float = 100e9
    """Bytes that ``data`` may take where it is the cache of a bucket."""
    upload_limit: int = 300 * 1024 * 1024
    """Bytes one request may carry."""
    depth_service: str = ""
    """Address of a service that estimates depth; none unless somebody runs one."""

    @classmethod
    def from_environment(cls) -> Settings:
        """Read what begins with ``VISTALINE_``; ``docs/farm.md`` lists it."""
        environment = os.environ
        return cls(
            database_url=environment.get(
                "VISTALINE_DATABASE", "mysql+pymysql://vistaline@127.0.0.1:33731/vistaline"
            ),
            redis_url=environment.get("VISTALINE_REDIS", "redis://127.0.0.1:33732/0"),
            data=Path(environment.get("VISTALINE_DATA", "var/data")).resolve(),
            bucket=environment.get("VISTALINE_BUCKET", ""),
            cache_limit=_gigabytes(environment.get("VISTALINE_CACHE_GB", "100")),
            secret_key=environment.get("VISTALINE_SECRET", ""),
            depth_service=environment.get("VISTALINE_DEPTH_SERVICE", ""),
        )


def _gigabytes(told: str) -> float:
    try:
        return 1e9 * float(told)
    except ValueError:
        raise ValueError(
            f"VISTALINE_CACHE_GB is {told!r}. Write gigabytes as a number, such as 100."
        ) from None
