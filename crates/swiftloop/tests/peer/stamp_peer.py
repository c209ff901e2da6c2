"""A peer of its own for RFC 8762 (STAMP), to try the program against: packets without signature are scapy's, signed ones are laid
out by hand from figures 3 and 5 of the RFC, with Python's own HMAC.

    stamp_peer.py reflector PORT SECONDS [KEY]     answers (stateless, NTP times); prints how many
    stamp_peer.py sender PORT COUNT [KEY]          asks, and holds every field of each answer against the RFC; prints "ok COUNT"
"""

import hashlib
import hmac
import socket
import struct
import sys
import time

from scapy.contrib.stamp import (
    STAMPSessionReflectorTestUnauthenticated,
    STAMPSessionSenderTestUnauthenticated,
)

NTP_TO_UNIX = 2208988800
SIGNED, PLAIN = 112, 44


def ntp(now):
    return struct.pack("!II", (int(now) + NTP_TO_UNIX) & 0xFFFFFFFF, int((now % 1) * 2**32) & 0xFFFFFFFF)


def ntp_seconds(eight):
    seconds, fraction = struct.unpack("!II", eight)
    return seconds - NTP_TO_UNIX + fraction / 2**32


def signature(key, packet):
    return hmac.new(key, packet[:96], hashlib.sha256).digest()[:16]


def signed_probe(key, sequence, now, ssid):
    packet = struct.pack("!I12x", sequence) + ntp(now) + struct.pack("!HH68x", 0x0001, ssid)
    assert len(packet) == 96
    return packet + signature(key, packet)


def signed_echo(key, probe, received, ttl):
    sequence = probe[:4]
    packet = sequence + bytes(12) + ntp(time.time()) + struct.pack("!H", 0x0001) + probe[26:28] + bytes(4)
    packet += ntp(received) + bytes(8) + sequence + bytes(12) + probe[16:24] + probe[24:26] + bytes(6)
    packet += bytes([ttl]) + bytes(15)
    assert len(packet) == 96
    return packet + signature(key, packet)


def plain_echo(probe, received, ttl):
    asked = STAMPSessionSenderTestUnauthenticated(probe[:PLAIN])
    echo = STAMPSessionReflectorTestUnauthenticated(
        seq=asked.seq,
        ssid=asked.ssid,
        seq_sender=asked.seq,
        ts_sender=asked.ts,
        err_estimate_sender=asked.err_estimate,
        ttl_sender=ttl,
    )
    raw = bytearray(bytes(echo))
    # Times as NTP writes them; those of the sender stay as scapy hands them back.
    raw[4:12], raw[16:24] = ntp(time.time()), ntp(received)
    return bytes(raw[:PLAIN])


def open_socket(port=0):
    ours = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
    ours.bind(("127.0.0.1", port))
    return ours


def reflector(port, seconds, key):
    ours = open_socket(port)
    print("listening on 127.0.0.1:%d" % ours.getsockname()[1], flush=True)
    ours.settimeout(0.1)
    end, answered = time.time() + seconds, 0
    while time.time() < end:
        try:
            probe, sender = ours.recvfrom(2048)
        except socket.timeout:
            continue
        received = time.time()
        length = SIGNED if key else PLAIN
        if len(probe) < length or (key and not hmac.compare_digest(probe[96:112], signature(key, probe))):
            continue
        echo = signed_echo(key, probe, received, 64) if key else plain_echo(probe, received, 64)
        # Symmetrical packets, 4.3: as long as what was got; fields that this reflector does not know are marked so.
        rest = bytearray(probe[length:])
        at = 0
        while at + 4 <= len(rest):
            rest[at] = (rest[at] & 0x3F) | 0x80
            at += 4 + struct.unpack("!H", rest[at + 2 : at + 4])[0]
        ours.sendto(echo + bytes(rest), sender)
        answered += 1
    print("answered %d" % answered)


def sender(port, count, key):
    ours = open_socket()
    ours.connect(("127.0.0.1", port))
    ours.settimeout(2)
    ours.setsockopt(socket.IPPROTO_IP, socket.IP_TTL, 77)
    for sequence in range(count):
        now, ssid = time.time(), 0x1234 + sequence % 3
        extra = b"" if sequence % 2 == 0 else struct.pack("!BBH", 0x80, 200, 5) + b"hello" + struct.pack("!BBH", 0x80, 1, 3) + b"pad"
        if key:
            probe = signed_probe(key, sequence, now, ssid)
        else:
            probe = bytearray(bytes(STAMPSessionSenderTestUnauthenticated(seq=sequence, ssid=ssid))[:PLAIN])
            probe[4:12] = ntp(now)
            probe = bytes(probe)
        probe += extra
        ours.send(probe)
        echo = ours.recv(2048)
        assert len(echo) == len(probe), "as long as what was sent"
        if key:
            assert echo[96:112] == signature(key, echo), "signed"
            places = dict(ts=16, err=24, ssid=26, rx=32, seq=48, sent=64, sent_err=72, ttl=80)
            zeros = [(4, 16), (28, 32), (40, 48), (52, 64), (74, 80), (81, 96)]
            length = SIGNED
        else:
            read = STAMPSessionReflectorTestUnauthenticated(echo[:PLAIN])
            assert read.seq_sender == sequence and read.ttl_sender == 77 and read.ssid == ssid, read.summary()
            assert read.err_estimate.multiplier > 0
            places = dict(ts=4, err=12, ssid=14, rx=16, seq=24, sent=28, sent_err=36, ttl=40)
            zeros = [(38, 40), (41, 44)]
            length = PLAIN
        for begin, end in zeros:
            assert echo[begin:end] == bytes(end - begin), "zeros from %d to %d" % (begin, end)
        at = lambda name, size: echo[places[name] : places[name] + size]
        assert struct.unpack("!I", at("seq", 4))[0] == sequence, "the sender's number"
        assert at("sent", 8) == ntp(now), "the sender's time, bit by bit"
        assert at("sent_err", 2) == b"\x00\x01", "the sender's estimate"
        assert struct.unpack("!H", at("ssid", 2))[0] == ssid, "the session"
        assert at("ttl", 1)[0] == 77, "hops left"
        estimate = struct.unpack("!H", at("err", 2))[0]
        assert estimate & 0xFF and not estimate & 0x4000, "an NTP clock with an error"
        received, sent = ntp_seconds(at("rx", 8)), ntp_seconds(at("ts", 8))
        assert abs(received - now) < 1 and received - 0.001 <= sent < received + 1, "times"
        counted = struct.unpack("!I", echo[:4])[0]
        assert counted == sequence // 3, "each session is counted by itself: %d at %d" % (counted, sequence)
        if extra:
            back = echo[length:]
            assert back[0] == 0x80 and back[1:9] == extra[1:9], "an unknown field comes back, marked"
            assert back[9] == 0x00 and back[10:] == extra[10:], "padding is known"
    print("ok %d" % count)


def main():
    kind, port, number = sys.argv[1], int(sys.argv[2]), float(sys.argv[3])
    key = sys.argv[4].encode() if len(sys.argv) > 4 else None
    if kind == "reflector":
        reflector(port, number, key)
    else:
        sender(port, int(number), key)


main()
