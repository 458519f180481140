"""Makes frames bit by bit as ISO 11898-1 says, with the checks of another library: identifier, kind, format,
data, and the bits on the line from the start of frame to the end of the check."""

import random

from bitstring import BitArray
from crccheck.crc import Crc

random.seed(11)
# Width, polynomial, start value.
CLASSIC = (15, 0x4599, 0)
SHORT = (17, 0x1685B, 1 << 16)
LONG = (21, 0x102899, 1 << 20)
LENGTHS = [0, 1, 2, 3, 4, 5, 6, 7, 8, 12, 16, 20, 24, 32, 48, 64]


def check(kind, bits):
    """The library works on bytes: leading zeros leave a check that starts from zero alone, so the start
    value is put into the first bits instead."""
    width, polynomial, start = kind
    message = BitArray(bits)
    message.overwrite(message[:width] ^ BitArray(uint=start, length=width), 0)
    lead = -len(message) % 8
    data = (BitArray(lead) + message).tobytes()
    return BitArray(uint=Crc(width, polynomial, 0, False, False, 0).process(data).final(), length=width)


def stuffed(bits, last):
    out, run, before, count = [], 0, None, 0
    for k, bit in enumerate(bits):
        out.append(bit)
        run = run + 1 if bit == before else 1
        before = bit
        if run == 5 and (last or k + 1 < len(bits)):
            before = not bit
            out.append(before)
            run, count = 1, count + 1
    return out, count


def arbitration(number, extended, remote):
    if extended:
        return BitArray("0b0") + BitArray(uint=number >> 18, length=11) + BitArray("0b11") + BitArray(
            uint=number & 0x3FFFF, length=18
        ) + BitArray([remote])
    return BitArray("0b0") + BitArray(uint=number, length=11) + BitArray([remote]) + BitArray("0b0")


def classic(number, extended, data):
    head = arbitration(number, extended, False)
    head += BitArray("0b00") if extended else BitArray("0b0")
    head += BitArray(uint=len(data), length=4) + BitArray(bytes=data)
    whole = head + check(CLASSIC, head)
    return stuffed(list(whole), True)[0]


def flexible(number, extended, data):
    head = arbitration(number, extended, False)
    # FDF, reserved, BRS off, ESI active.
    head += BitArray("0b1000")
    head += BitArray(uint=LENGTHS.index(len(data)), length=4) + BitArray(bytes=data)
    first, count = stuffed(list(head), False)
    gray = (count % 8) ^ ((count % 8) >> 1)
    tail = BitArray(uint=gray, length=3)
    tail += BitArray([tail.count(1) % 2])
    kind = LONG if len(data) > 16 else SHORT
    tail += check(kind, first + list(tail))
    out = list(first)
    for k, bit in enumerate(tail):
        if k % 4 == 0:
            out.append(not out[-1])
        out.append(bit)
    return out


for k in range(120):
    extended = random.random() < 0.5
    number = random.randrange(1 << (29 if extended else 11))
    is_fd = k % 2 == 1
    length = random.choice(LENGTHS) if is_fd else random.randrange(9)
    fill = random.choice([None, 0x00, 0xFF])
    data = bytes(random.randrange(256) if fill is None else fill for _ in range(length))
    bits = (flexible if is_fd else classic)(number, extended, data)
    line = "".join("1" if b else "0" for b in bits)
    print(f"{number:X}", "x" if extended else "s", "fd" if is_fd else "cc", data.hex(), line)
