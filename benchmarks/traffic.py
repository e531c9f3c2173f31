"""The traffic that is measured with: what the simulated receiver says, as one long stream."""

from functools import lru_cache

from pale_heron.sim.curlew import Curlew
from pale_heron.sim.scenes import Scene


@lru_cache(maxsize=4)
def epochs(count: int) -> tuple[bytes, ...]:
    """So many epochs of a receiver that has its fix."""
    curlew = Curlew(Scene("", start="hot"))
    return tuple(curlew.epoch(float(second)) for second in range(count))


def chunks(data: bytes, size: int = 4096) -> list[bytes]:
    """The stream cut as a fast port hands it over."""
    return [data[at : at + size] for at in range(0, len(data), size)]
