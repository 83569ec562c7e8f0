#!/usr/bin/env python3
"""Verifies a sealed table of Keen Arc as docs/seal.md describes it: verify_seal.py FILE.

Every axis's entries are read back and held against their digest; what is printed is the
fingerprint, which has to be the one on the sheet. Nothing but the standard library is used.
"""
import hashlib
import struct
import sys

MARK, AXIS = b"keenarc-seal-2\n", b"keenarc-axis-2\n"


class Reader:
    def __init__(self, raw):
        self.raw, self.at = raw, 0

    def take(self, n):
        if n < 0 or self.at + n > len(self.raw):
            raise ValueError("the table is cut short")
        self.at += n
        return self.raw[self.at - n:self.at]

    def num(self):
        return struct.unpack(">q", self.take(8))[0]

    def str(self):
        return self.take(struct.unpack(">I", self.take(4))[0])

    def varint(self):  # zigzag, seven bits to a byte, least first
        v, shift = 0, 0
        while True:
            b = self.take(1)[0]
            v, shift = v | (b & 127) << shift, shift + 7
            if b < 128:
                return (v >> 1) ^ -(v & 1)


def verify(raw):
    r = Reader(raw)
    if r.take(len(MARK)) != MARK:
        raise ValueError("this is no sealed table")
    h = Reader(r.take(r.num()))
    h.take(32 + 10 * 8)  # digest of the path; rate, clock, frames, ticks, binary places
    for _ in range(h.num()):  # machines: name, rig, version, place
        h.str(), h.str(), h.num(), h.take(32)
    axes = [(h.str(), h.num(), h.num(), h.num()) for _ in range(h.num())]
    digests = [r.take(32) for _ in axes]
    fingerprint = hashlib.sha256(raw[:r.at]).hexdigest()
    for (name, num, den, count), digest in zip(axes, digests):
        if r.num() == 0:  # not in this share
            continue
        own = hashlib.sha256(AXIS + struct.pack(">I", len(name)) + name + struct.pack(">qqq", num, den, count))
        at = step = 0
        for _ in range(count):
            step += r.varint()
            at += step
            own.update(struct.pack(">q", at))
        if own.digest() != digest:
            raise ValueError(f"the entries of {name.decode()} are not those that were sealed")
    if r.at != len(raw):
        raise ValueError("something follows the table")
    return fingerprint


if __name__ == "__main__":
    try:
        f = verify(open(sys.argv[1], "rb").read())
    except (ValueError, IndexError, OSError) as e:
        sys.exit(f"verify_seal.py: {e}")
    print(f"{f[:4]}-{f[4:8]}".upper(), f)
