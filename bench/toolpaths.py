"""How fast toolpath programs are read, and that memory stays what it is."""

from __future__ import annotations

import random
import tracemalloc
from collections.abc import Iterator

from bench.planning import Row, median
from ledgecliff.core.simulator.blocks import read_block
from ledgecliff.core.simulator.modal import PARAMETER_STYLE
from ledgecliff.core.toolpaths.reading import CHUNK, read_toolpath

_HEAD = "%\nG21 G90 G54\nT2 M6\nG43 H2\nG0 X0 Y0 Z10\nG1 Z-1 F500\n"


def toolpaths() -> list[Row]:
    straight, mixed = _program(400_000, 0.0), _program(150_000, 0.1)
    line_by_line = straight[: 2 << 20].decode().splitlines()

    def slowly() -> None:
        for number, line in enumerate(line_by_line, start=1):
            read_block(number, line, PARAMETER_STYLE)

    other = 2.0 / median(slowly, 2)
    return [
        ("straight moves read (MB/s)", _rate(straight), "8", "line by line, words only (MB/s)", other),
        ("one line in ten an arc (MB/s)", _rate(mixed), "8", "", None),
        *(_times_plain(name, kind, allowed, straight) for name, kind, allowed in _KINDS),
        ("memory at its most, 10 MB (MB)", _peak(straight, 1), "", "the same for 100 MB", _peak(straight, 10)),
    ]


#: Lines of one kind each, and how many times the cost of a plain line they may have.
_KINDS = (
    ("arcs by radius", "G2 X{x:.3f} Y{y:.3f} R90", "3"),
    ("arcs in G18", "G18 G2 X0 Z0 I{x:.3f} K{y:.3f}", "3"),
    ("comments after each line", "X{x:.3f} Y{y:.3f} (pass at depth)", "2"),
    ("comments by semicolon", "X{x:.3f} Y{y:.3f} ; pass at depth", "2"),
)


def _times_plain(name: str, kind: str, allowed: str, straight: bytes) -> Row:
    """Time for each line against that of a plain line."""
    rng = random.Random(2)
    head = _HEAD + ("G18\n" if "G18" in kind else "")
    body = (kind.replace("G18 ", "").format(x=rng.uniform(-40, 40), y=rng.uniform(-30, 30)) for _ in range(100_000))
    data = (head + "\n".join(body) + "\nM30\n").encode()
    each = median(lambda: read_toolpath(_chunks(data)), 3) / 100_000
    plain = median(lambda: read_toolpath(_chunks(straight)), 3) / straight.count(b"\n")
    return f"{name} (times a plain line)", each / plain, allowed, "a plain line (µs)", plain * 1e6


def _program(lines: int, arcs: float) -> bytes:
    rng = random.Random(1)
    text = [_HEAD.rstrip("\n")]
    for _ in range(lines):
        if rng.random() < arcs:
            text += [f"G2 I{rng.uniform(1, 9):.3f} J{rng.uniform(1, 9):.3f}", "G1"]
        text.append(f"X{rng.uniform(-40, 40):.3f} Y{rng.uniform(-30, 30):.3f} Z{rng.uniform(-5, 0):.3f}")
    return ("\n".join(text) + "\nM30\n%\n").encode()


def _chunks(data: bytes, times: int = 1) -> Iterator[bytes]:
    for _ in range(times):
        for at in range(0, len(data), CHUNK):
            yield data[at : at + CHUNK]


def _rate(data: bytes) -> float:
    return len(data) / 1e6 / median(lambda: read_toolpath(_chunks(data)), 3)


def _peak(data: bytes, times: int) -> float:
    tracemalloc.start()
    read_toolpath(_chunks(data, times))
    used = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    return used / 1e6
