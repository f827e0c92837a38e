"""Lists a bank file by docs/bank-format.md alone: another reader than the library's.

    list_bank.py BANK
"""

import struct
import sys


class Table:
    """Sections of fixed records; each record is the bytes that it has."""

    def __init__(self, table, sections):
        self.sections = {}
        for number in range(sections):
            kind, size, at, count = struct.unpack_from("<IIQQ", table, 24 * number)
            self.sections[kind] = [table[at + size * i : at + size * (i + 1)] for i in range(count)]
        self.texts = b"".join(self.sections.get(1, []))

    def records(self, kind):
        return self.sections.get(kind, [])

    def text(self, record, at=0):
        begin, size = struct.unpack_from("<II", record, at)
        return self.texts[begin : begin + size].decode()

    def part(self, record, at, kind):
        first, count = struct.unpack_from("<II", record, at)
        return self.records(kind)[first : first + count]


def main(path):
    data = open(path, "rb").read()
    magic, version, sections = struct.unpack_from("<8sII", data, 0)
    if magic != b"TIDEBANK" or version != 1:
        sys.exit(f"{path}: no bank of version 1")
    size, table_at, table_size, _, payload_at, streams_at = struct.unpack_from("<QQQQQQ", data, 16)
    if size != len(data):
        sys.exit(f"{path}: {len(data)} bytes of {size}")
    table = Table(data[table_at : table_at + table_size], sections)

    about = table.records(2)[0]
    reach, priority, content, rate = struct.unpack_from("<IiQd", about, 24)
    print(f"bank {table.text(about)} rate {rate:g} content {content:016x} by {table.text(about, 8)}")

    bases = [table.text(base) for base in table.records(13)]
    for name, base in zip(bases, table.records(13)):
        print(f"{'changes' if struct.unpack_from('<I', base, 16)[0] else 'needs'} {name} priority {priority}")

    groups = [table.text(group) for group in table.records(3)]
    for number, group in enumerate(table.records(3)):
        parent, muted, gain = struct.unpack_from("<IId", group, 8)
        print(f"group {groups[number]} under {groups[parent]} gain {gain:g}{' muted' if muted else ''}")

    clips = [table.text(clip) for clip in table.records(4)]
    for number, clip in enumerate(table.records(4)):
        samples, channels, at, length, frames, loop_from = struct.unpack_from("<IIQQqq", clip, 8)
        stream_at, stream_size, _, _, head = struct.unpack_from("<QQqdq", clip, 64)
        base, in_base = struct.unpack_from("<II", clip, 108) if len(clip) >= 116 else (0, 0)
        if base:
            print(f"clip {clips[number]} channels {channels} frames {frames} number {in_base} of {bases[base - 1]}")
            continue
        width = 2 if samples == 1 else 4
        kept = head if stream_at else frames
        assert length == channels * (kept + 2 * reach) * width and payload_at <= at and at + length <= streams_at
        padding = data[at : at + reach * width]
        assert padding == bytes(len(padding)), "zeros lie before a clip"
        print(f"clip {clips[number]} channels {channels} frames {frames} {'16 bits' if width == 2 else 'floats'}", end="")
        if stream_at:
            assert streams_at <= stream_at and stream_at + stream_size <= size
            print(f" streams {data[stream_at : stream_at + 4].decode()}", end="")
        print()

    sounds = [table.text(sound) for sound in table.records(9)]
    for number, sound in enumerate(table.records(9)):
        (group,) = struct.unpack_from("<I", sound, 16)
        print(f"sound {sounds[number]} in {groups[group]}")
        for layer in table.part(sound, 8, 8):
            for choice in table.part(layer, 16, 7):
                values = [table.text(value) for value in table.part(choice, 0, 6)]
                uses = [clips[struct.unpack_from("<I", use)[0]] for use in table.part(choice, 8, 5)]
                print(f"  plays {' '.join(uses)}{' for ' + ' '.join(values) if values else ''}")

    for event in table.records(11):
        does = []
        for response in table.part(event, 8, 10):
            kind, sound, delay, _ = struct.unpack_from("<IIdd", response, 0)
            does.append(f"{'stops' if kind else 'starts'} {sounds[sound]}{f' after {delay:g} s' if delay else ''}")
        print(f"event {table.text(event)} {', '.join(does)}")


main(sys.argv[1])
