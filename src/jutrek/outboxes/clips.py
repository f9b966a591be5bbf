"""Small copies of clips: H.264 and AAC in MP4, upright, with square pixels, whatever the original was."""

from __future__ import annotations

import threading
from fractions import Fraction
from typing import TYPE_CHECKING, Any, BinaryIO

from jutrek import pixels
from jutrek.errors import Stopped

if TYPE_CHECKING:
    from collections.abc import Iterator, Mapping

_RATE = "25"
"""Of pictures, the quality that x264 keeps to: small, and good enough for a phone."""
_SOUND = 128_000
_TURNS = {90: "transpose=cclock", 180: "hflip,vflip", 270: "transpose=clock"}
"""How frames are turned upright, by the degrees against the clock that a decoder tells."""
_FASTEST = Fraction(60)
_EARLY = 500
"""Frames of sound that wait for the first picture at most."""
_TIMES = Fraction(1, 90_000)
"""Seconds that times of the copy are counted in: those of an original may be too coarse, or absurd."""


def small_clip(file: BinaryIO, into: BinaryIO, longest: int, says: Mapping[str, str], stop: threading.Event) -> None:
    """Make a small copy of a clip.

    Args:
        file: open for reading.
        into: open for writing and reading, and empty.
        longest: pixels of the longer side at most; it is made no larger than it is.
        says: of itself, by the names that FFmpeg has for it.
        stop: ends it when it is set.

    Raises:
        Stopped: when `stop` was set.
        TooLargeToShow: when a frame needs more room than pictures may take.
        Exception: whatever the decoder says of damaged content.
    """
    import av

    with av.open(file, "r", metadata_errors="ignore") as old, av.open(into, "w", format="mp4") as new:
        pictures = old.streams.video[0]
        with pixels.room.taken(pixels.of_every_frame(pictures.codec_context)):
            new.metadata.update(says)
            maker = _Pictures(new, pictures, longest)
            sound = next(iter(old.streams.audio), None)
            heard = _Sound(new, sound) if sound is not None and sound.codec_context is not None else None
            for packet in old.demux([pictures] if heard is None else [pictures, sound]):
                if stop.is_set():
                    raise Stopped
                for frame in _decoded(packet):
                    if packet.stream is pictures:
                        maker.take(frame)
                    elif heard is not None:
                        heard.take(frame, wait=not maker.frames)
            maker.end()
            if heard is not None and maker.frames:
                heard.end()
            if not maker.frames:
                raise ValueError("a clip without a picture")


def said_anew(file: BinaryIO, into: BinaryIO, says: Mapping[str, str]) -> None:
    """The same copy, saying something else of itself. Nothing is decoded. Arguments and errors as `small_clip`."""
    import av

    with av.open(file, "r") as old, av.open(into, "w", format="mp4") as new:
        new.metadata.update(says)
        streams = {one.index: new.add_stream_from_template(one) for one in old.streams}
        for packet in old.demux():
            if packet.dts is not None:
                packet.stream = streams[packet.stream.index]
                new.mux(packet)


def _decoded(packet: Any) -> Iterator[Any]:
    """The frames of a packet. A packet that is damaged has none: the next ones are as good as they were."""
    import av

    try:
        yield from packet.decode()
    except (av.error.InvalidDataError, av.error.EOFError):
        return


class _Pictures:
    """The pictures of a copy, as they come."""

    def __init__(self, new: Any, old: Any, longest: int) -> None:
        self._new, self._old, self._longest = new, old, longest
        self._graph: Any = None
        self._stream: Any = None
        self.frames = 0
        self._last = -1

    def take(self, frame: Any) -> None:
        """Encode a frame."""
        if self._graph is None:
            self._begin(frame)
        self._graph.push(frame)
        self._pull()

    def end(self) -> None:
        """Encode what is left."""
        if self._graph is not None:
            self._graph.push(None)
            self._pull()
            self._new.mux(self._stream.encode(None))

    def _begin(self, frame: Any) -> None:
        import av

        turned = round(getattr(frame, "rotation", 0) or 0) % 360
        square = frame.sample_aspect_ratio or Fraction(1) if hasattr(frame, "sample_aspect_ratio") else Fraction(1)
        square = self._old.sample_aspect_ratio or square
        width, height = frame.width * float(square), float(frame.height)
        scale = min(1.0, self._longest / max(width, height))
        even = [max(2, round(side * scale / 2) * 2) for side in (width, height)]
        graph = av.filter.Graph()
        first = graph.add_buffer(template=self._old, time_base=frame.time_base)
        steps = [
            ("yadif", "deint=interlaced"), ("scale", f"{even[0]}:{even[1]}:flags=area"), ("setsar", "1"),
            *[tuple((*one.split("="), "")[:2]) for one in _TURNS.get(turned, "").split(",") if one],
            ("format", "yuv420p"),
        ]  # fmt: skip
        last = first
        for name, text in steps:
            step = graph.add(name, text) if text else graph.add(name)
            last.link_to(step)
            last = step
        last.link_to(graph.add("buffersink"))
        graph.configure()
        self._graph = graph
        rate = min(self._old.average_rate or Fraction(25), _FASTEST)
        stream = self._new.add_stream("libx264", rate=rate, options={"crf": _RATE, "preset": "veryfast"})
        upright = even[::-1] if turned in (90, 270) else even
        stream.width, stream.height, stream.pix_fmt = *upright, "yuv420p"
        stream.codec_context.time_base = _TIMES
        self._stream = stream

    def _pull(self) -> None:
        import av

        while True:
            try:
                frame = self._graph.pull()
            except (av.error.BlockingIOError, av.error.EOFError):
                return
            frame.pts = max(self._last + 1, round(frame.pts * frame.time_base / _TIMES) if frame.pts is not None else 0)
            self._last, frame.time_base, frame.pict_type = frame.pts, _TIMES, 0
            self.frames += 1
            self._new.mux(self._stream.encode(frame))


class _Sound:
    """The sound of a copy, as it comes. A container takes nothing before it knows all that it will hold."""

    def __init__(self, new: Any, old: Any) -> None:
        import av

        rate = min(max(old.codec_context.sample_rate or 48_000, 8_000), 48_000)
        self._new = new
        self._early: list[Any] = []
        self._stream = new.add_stream("aac", rate=rate, layout="stereo", bit_rate=_SOUND)
        self._resampler = av.AudioResampler(format="fltp", layout="stereo", rate=rate, frame_size=1024)

    def take(self, frame: Any, *, wait: bool) -> None:
        """Encode a frame, or have it wait until there is a picture; of very many that do, the first ones are lost."""
        self._early.append(frame)
        if not wait:
            self._encode()
        elif len(self._early) > _EARLY:
            del self._early[0]

    def _encode(self) -> None:
        for frame in self._early:
            for one in self._resampler.resample(frame):
                self._new.mux(self._stream.encode(one))
        self._early.clear()

    def end(self) -> None:
        """Encode what is left."""
        self._encode()
        for one in self._resampler.resample(None):
            self._new.mux(self._stream.encode(one))
        self._new.mux(self._stream.encode(None))
