"""Where chunks run: this process's threads, or the workers of a cluster."""

from sortija.core.engine.choice import engine_at
from sortija.core.engine.errors import ClusterError
from sortija.core.engine.parts import WHOLE, Parts
from sortija.core.engine.readonly import readonly
from sortija.core.engine.threads import CHUNK, Engine, chunk_bounds

__all__ = [
    "CHUNK",
    "WHOLE",
    "ClusterError",
    "Engine",
    "Parts",
    "chunk_bounds",
    "engine_at",
    "readonly",
]
