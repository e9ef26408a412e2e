"""Where chunks run: this process's threads."""

from sortija.core.engine.readonly import readonly
from sortija.core.engine.threads import CHUNK, Engine, chunk_bounds

__all__ = ["CHUNK", "Engine", "chunk_bounds", "readonly"]
