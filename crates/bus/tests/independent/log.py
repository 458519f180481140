"""Reads a log with another library, tells what stands in it, and writes it again."""

import sys

import can

ours, theirs = sys.argv[1:]
messages = list(can.CanutilsLogReader(ours))
with can.CanutilsLogWriter(theirs) as writer:
    for m in messages:
        print(m.arbitration_id, int(m.is_extended_id), int(m.is_remote_frame), int(m.is_fd), m.data.hex())
        writer.on_message_received(m)
