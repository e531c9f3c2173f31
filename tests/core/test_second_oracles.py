"""What the program computes quickly, computed once more as the standards put it: a few plain lines for each."""

import functools
import itertools
import math
import operator
import random
import re
import statistics
from array import array
from collections.abc import Callable

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.core.test_epochs import fix_of
from tests.receivers import SAID, receiver
from tests.streams import framed

from pale_heron.core.frames import Kind, Status
from pale_heron.core.link.figures import Z_95, wilson
from pale_heron.core.nmea.sentence import sealed
from pale_heron.core.samples import Sample, quantile
from pale_heron.core.wire.checksum import CRC24Q_POLYNOMIAL, crc24q, running_xor
from pale_heron.core.wire.frame_checks import CHECKS, crc


def right_sentences(stream: bytes) -> list[bytes]:
    """NMEA 0183, 5.3: begin, address and fields, `*`, two digits that are the XOR of all between, a line end."""
    candidates = re.finditer(
        rb"[$!]((?:P[A-Z]{3}|[A-Z0-9]{5})[A-Z0-9]*(?:,[^$!*\r\n]*)?)\*([0-9A-Fa-f]{2})(?=[\r\n])", stream
    )
    return [each[0] for each in candidates if functools.reduce(operator.xor, each[1]) == int(each[2], 16)]


# The first byte of an RTCM 3 message may swallow what looks like its body: it has tests of its own.
NOISE = st.binary(max_size=30).map(lambda data: data.replace(b"\xd3", b""))
BODIES = st.builds(
    lambda address, fields: sealed(",".join([address, *fields])),
    st.from_regex(r"(GP|GN|GA|P)(GGA|RMC|XYZ)", fullmatch=True),
    st.lists(st.text("0123456789.ANVM-", max_size=9), max_size=8),
)
DAMAGED = st.builds(
    lambda sentence, place, bit: (
        sentence[: place % len(sentence)]
        + bytes([sentence[place % len(sentence)] ^ 1 << bit])
        + sentence[place % len(sentence) + 1 :]
    ),
    BODIES,
    st.integers(0, 90),
    st.integers(0, 6),
)


@given(st.lists(st.one_of(BODIES, BODIES, DAMAGED, NOISE), max_size=20), st.integers(1, 60))
def test_the_right_sentences_of_a_stream_are_those_a_plain_search_finds(pieces: list[bytes], size: int) -> None:
    stream = b"".join(pieces)
    frames = framed([stream[at : at + size] for at in range(0, len(stream), size)])
    found = [frame.data.strip() for frame in frames if frame.kind is Kind.NMEA and frame.status is Status.OK]
    assert found == right_sentences(stream)


@given(st.binary(max_size=300), st.data())
def test_the_xor_of_any_stretch_is_that_of_its_bytes(data: bytes, chosen: st.DataObject) -> None:
    place = chosen.draw(st.integers(0, len(data)))
    assert running_xor(data)[:place] == bytes(itertools.accumulate(data[:place], operator.xor))


def remainder(data: bytes, bits: int, polynomial: int, begin: int, reflected: bool, last: int) -> int:
    """The message as one long number, divided by the polynomial over GF(2), bit after bit."""
    text = "".join(f"{byte:08b}"[:: -1 if reflected else 1] for byte in data) + "0" * bits
    number = int(text, 2) ^ begin << len(text) - bits
    divisor = 1 << bits | polynomial
    for place in range(len(text) - 1, bits - 1, -1):
        number ^= divisor << place - bits if number >> place & 1 else 0
    found = int(f"{number:0{bits}b}"[::-1], 2) if reflected else number
    return found ^ last


def division(*how: int) -> Callable[[bytes], int]:
    return lambda data: remainder(data, *how)  # type: ignore[arg-type]


@given(
    st.binary(min_size=4, max_size=60),
    st.sampled_from([8, 16, 24, 32]),
    st.integers(0, (1 << 32) - 1),
    st.booleans(),
    st.booleans(),
)
def test_checks_of_frames_are_remainders(data: bytes, bits: int, polynomial: int, ones: bool, reflected: bool) -> None:
    mask = (1 << bits) - 1
    begin, polynomial = mask * ones, polynomial & mask | 1
    assert crc(bits, polynomial, begin, reflected, begin)(data) == remainder(
        data, bits, polynomial, begin, reflected, begin
    )
    assert crc24q(data) == remainder(data, 24, CRC24Q_POLYNOMIAL & 0xFFFFFF, 0, False, 0)


SUMS: dict[str, Callable[[bytes], int]] = {
    "xor8": lambda data: functools.reduce(operator.xor, data, 0),
    "sum8": lambda data: sum(data) % 256,
    "sum8-negative": lambda data: next(check for check in range(256) if (sum(data) + check) % 256 == 0),
    "sum16": lambda data: sum(data) % 65536,
    "fletcher16": lambda data: sum(data) % 256 * 256 + sum(itertools.accumulate(data)) % 256,
    "crc8": division(8, 0x07, 0, False, 0),
    "crc8-reflected": division(8, 0x31, 0, True, 0),
    "crc16": division(16, 0x8005, 0, True, 0),
    "crc16-ones": division(16, 0x8005, 0xFFFF, True, 0),
    "crc16-ccitt": division(16, 0x1021, 0xFFFF, False, 0),
    "crc16-ccitt-zero": division(16, 0x1021, 0, False, 0),
    "crc16-hdlc": division(16, 0x1021, 0xFFFF, True, 0xFFFF),
    "crc32": division(32, 0x04C11DB7, 0xFFFFFFFF, True, 0xFFFFFFFF),
}


@given(st.binary(min_size=4, max_size=80))
def test_each_check_by_its_name_is_what_its_definition_gives(data: bytes) -> None:
    assert {name: check.of(data) for name, check in CHECKS.items()} == {name: of(data) for name, of in SUMS.items()}


TIMED = re.compile(rb"\$G[A-Z](?:GGA|RMC|GNS),([\d.]+),|\$G[A-Z]GLL,[^,]*,[^,]*,[^,]*,[^,]*,([\d.]+),")


@pytest.mark.parametrize("seed", range(40))
def test_epochs_are_the_times_that_are_named(seed: int) -> None:
    """As often as the time of day in the sentences changes; each has a position where one of them says so."""
    chance = random.Random(seed)
    kinds = SAID[chance.choice([name for name in SAID if name != "position alone"])]
    said = list(receiver(chance, epochs=200, kinds=kinds, change=0.02, gap=0.02, held=0.05, other=0.0))
    times = [match[1] or match[2] for match in TIMED.finditer(b"".join(said))]
    fix = fix_of(said)
    assert fix.epochs == len(list(itertools.groupby(times)))
    with_position = sum(b",S," in each for each in said)
    assert fix.epochs_with_fix == with_position


@given(st.integers(0, 60), st.integers(1, 60))
def test_the_interval_of_a_share_holds_the_shares_that_explain_the_count(count: int, more: int) -> None:
    """Those from which the count is no further than 1.96 standard deviations away (Wilson 1927), found by search."""
    total = count + more
    explained = [
        share
        for share in (step / 4000 for step in range(4001))
        if abs(count - total * share) <= Z_95 * math.sqrt(total * share * (1 - share)) + 1e-9
    ]
    low, high = wilson(count, total) or (math.nan, math.nan)
    assert low == pytest.approx(explained[0], abs=1 / 4000) and high == pytest.approx(explained[-1], abs=1 / 4000)


@given(st.lists(st.floats(-1e6, 1e6), min_size=2, max_size=200))
def test_percentiles_are_those_of_the_numbers_in_order(values: list[float]) -> None:
    hundredths = statistics.quantiles(values, n=100, method="inclusive")
    ordered = sorted(values)
    for percent in (5, 25, 50, 75, 95, 99):
        assert quantile(ordered, percent / 100) == pytest.approx(hundredths[percent - 1], abs=1e-6)
    sample = Sample()
    for value in values:
        sample.add(value)
    times = sample.times()
    assert times is not None
    assert (times.samples, times.least, times.most) == (len(values), ordered[0], ordered[-1])
    assert (times.p5, times.median) == pytest.approx((hundredths[4], statistics.median(values)), abs=1e-6)
    edges = [times.histogram.low + bin * (times.histogram.high - times.histogram.low) / 40 for bin in range(40)]
    last = times.histogram.counts[-1] if len(times.histogram.counts) > 1 else len(values)
    assert last == sum(value >= edges[-1] for value in values) or len(times.histogram.counts) == 1
    assert sum(times.histogram.counts) == len(values)


@given(st.lists(st.floats(-1e6, 1e6), max_size=300), st.integers(0, 300), st.integers(4, 64))
def test_a_sample_is_the_same_one_by_one_many_together_and_copied_in_between(
    values: list[float], cut: int, most: int
) -> None:
    single, together = Sample(most), Sample(most)
    for value in values:
        single.add(value)
    together.extend(array("d", values[:cut]))
    copy = together.copied()
    for sample in (together, copy):
        sample.extend(array("d", values[cut:]))
        assert (list(sample.values), sample.count) == (list(single.values), len(values))
        assert sample.times() == single.times()
    assert len(single.values) < most
    times = single.times()
    assert times is None or (times.least, times.most) == (min(values), max(values))
