#!/usr/bin/env python3
"""A model for Juvalogos in one file: put your own function in the place of answer().

    juvalogos connection add -program ./answer.py
    juvalogos desk publish answer.desk.yaml

Only Python's standard library is used. docs/programs.md says what goes over the wire.
"""

import base64
import io
import json
import struct
import sys
import threading
import queue
import wave
import zlib


def answer(ask):
    """Answers one question; yield what is to be shown, piece by piece.

    ask.question   what was asked last, a text
    ask.messages   the whole conversation: [{"role": "system" | "user" | "assistant", "text": ...}]
    ask.settings   wishes: max_tokens, temperature, top_p, stop, seed; each may be missing
    ask.files      pictures and sounds that came with it: [{"name", "kind", "data": bytes}]
    ask.cancelled  True once nobody waits any more

    yield a text, Thought("..."), Progress(0.4, "drawing") or File("image/png", data).
    """
    for file in ask.files:
        if file["kind"] == "image/png":
            width, height = struct.unpack(">II", file["data"][16:24])
            yield f"This picture is {width} pixels wide and {height} high. "
        elif file["kind"].startswith("audio/"):
            with wave.open(io.BytesIO(file["data"])) as sound:
                yield f"This sound lasts {sound.getnframes() / sound.getframerate():.1f} seconds. "
    if ask.question.lower().startswith("draw"):
        yield Progress(0.5, "drawing")
        yield File("image/png", stripes(120, 80))
        return
    yield Thought("I count the words; that is all I have learnt. ")
    words = ask.question.split()
    for word in f"You wrote {len(words)} words, the longest is {max(words, key=len, default='none')}.".split():
        yield word + " "


def stripes(width, height):
    """A small picture: honey and moss, as PNG."""
    row = b"".join(bytes((230, 170, 40) if x // 10 % 2 else (70, 95, 50)) for x in range(width))
    rows = (b"\0" + row) * height

    def chunk(kind, data):
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    return (b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)) +
            chunk(b"IDAT", zlib.compress(rows)) + chunk(b"IEND", b""))


# From here on nothing needs to be changed.


class Thought(str):
    """What the model thinks aloud; the page shows it folded, beside the reply."""


class Progress:
    def __init__(self, done, says=""):
        self.done, self.says = done, says


class File:
    def __init__(self, kind, data, name=""):
        self.kind, self.data, self.name = kind, data, name


class Ask:
    def __init__(self, message):
        self.id = message["id"]
        self.messages = message.get("messages", [])
        self.settings = message.get("settings", {})
        self.files = [dict(f, data=base64.b64decode(f["data"])) for f in message.get("files", [])]
        self.question = next((m["text"] for m in reversed(self.messages) if m["role"] == "user"), "")
        self.cancelled = False


def say(**message):
    wire.write(json.dumps(message) + "\n")
    wire.flush()


def reply(ask):
    try:
        for piece in answer(ask):
            if ask.cancelled:
                say(type="done", id=ask.id, finish="cancelled")
                return
            if isinstance(piece, Thought):
                say(type="thought", id=ask.id, text=piece)
            elif isinstance(piece, Progress):
                say(type="progress", id=ask.id, done=piece.done, says=piece.says)
            elif isinstance(piece, File):
                say(type="file", id=ask.id, kind=piece.kind, name=piece.name,
                    data=base64.b64encode(piece.data).decode())
            else:
                say(type="text", id=ask.id, text=piece)
        say(type="done", id=ask.id, finish="stop")
    except Exception as error:
        import traceback
        traceback.print_exc()
        say(type="error", id=ask.id, message=f"{type(error).__name__}: {error}")


def serve():
    asks, waiting = {}, queue.Queue()

    def listen():
        for line in sys.stdin:
            message = json.loads(line)
            if message["type"] == "ask":
                ask = asks[message["id"]] = Ask(message)
                waiting.put(ask)
            elif message["type"] == "cancel" and message["id"] in asks:
                asks[message["id"]].cancelled = True
        waiting.put(None)

    threading.Thread(target=listen, daemon=True).start()
    say(type="hello", version=1, at_once=1)
    while (ask := waiting.get()) is not None:
        reply(ask)
        del asks[ask.id]


if __name__ == "__main__":
    wire, sys.stdout = sys.stdout, sys.stderr  # a stray print() does no harm
    serve()
