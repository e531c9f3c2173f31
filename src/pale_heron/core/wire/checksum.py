"""The two checks that the framer relies on: the XOR of NMEA 0183 and the CRC-24Q of RTCM 3."""

CRC24Q_POLYNOMIAL = 0x1864CFB


def running_xor(data: bytes) -> bytes:
    """XOR of all bytes up to and including each one: as many bytes as `data`.

    The XOR of any stretch is then that of its two ends, so a block of many sentences is gone through once, by shifting
    it as one large integer against itself, instead of once a byte.
    """
    size = len(data)
    total = int.from_bytes(data, "big")
    shift = 1
    while shift < size:
        total ^= total >> (8 * shift)
        shift *= 2
    return total.to_bytes(size, "big")


def xor8(data: bytes) -> int:
    """XOR of all bytes (NMEA 0183, 5.2.3): 0 to 255."""
    return running_xor(data)[-1] if data else 0


def _crc24q_table() -> tuple[int, ...]:
    table = []
    for byte in range(256):
        remainder = byte << 16
        for _ in range(8):
            remainder <<= 1
            if remainder & 0x1000000:
                remainder ^= CRC24Q_POLYNOMIAL
        table.append(remainder)
    return tuple(table)


_TABLE = _crc24q_table()


def crc24q(data: bytes | bytearray | memoryview) -> int:
    """CRC-24Q of `data` (RTCM 10403, transport layer): 0 to 0xFFFFFF. A message followed by its CRC gives 0."""
    crc = 0
    table = _TABLE
    for byte in data:
        crc = ((crc << 8) & 0xFFFFFF) ^ table[(crc >> 16) ^ byte]
    return crc
