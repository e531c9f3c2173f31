"""What one UART reads of what another sends, when their rates differ."""


def resampled(data: bytes, sent_rate: int, read_rate: int) -> bytes:
    """The bytes that a receiver set to `read_rate` makes of bytes sent at `sent_rate`, both 8N1.

    The line is drawn bit by bit and read as a UART does: wait for a falling edge, look at the middle of each of the
    ten bits at the receiver's own pace, take eight of them. A stop bit that is low is a framing error; the byte is
    still handed over, as drivers do.
    """
    if sent_rate == read_rate:
        return data
    levels = [1]
    for byte in data:
        levels += [0, *((byte >> bit) & 1 for bit in range(8)), 1]
    pace = sent_rate / read_rate
    out, at, end = bytearray(), 0, len(levels)
    while at < end:
        if levels[at]:
            at += 1
            continue
        byte = 0
        for bit in range(8):
            place = at + (bit + 1.5) * pace
            byte |= (levels[int(place)] if place < end else 1) << bit
        out.append(byte)
        # The next edge is looked for from the middle of the stop bit on.
        at = max(at + 1, int(at + 9.5 * pace))
    return bytes(out)
