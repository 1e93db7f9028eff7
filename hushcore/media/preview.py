"""Writing small H.264 movies of finished 8-bit pictures."""

from collections.abc import Iterable
from fractions import Fraction
from pathlib import Path

import av

from hushcore.arrays import Codes
from hushcore.media.pictures import written_whole

BT709, LEGAL = 1, 1  # H.273
OPTIONS = {"crf": "16", "preset": "veryfast", "movflags": "+faststart"}


def write_h264(path: Path, pictures: Iterable[Codes], rate: Fraction) -> None:
    """An ``.mp4`` of pictures (h, w, 3) uint8 with even sides. Raises HushError as writing pictures does."""
    with written_whole(path, (av.FFmpegError,)) as part, av.open(str(part), "w") as container:
        stream = None
        for index, picture in enumerate(pictures):
            if stream is None:
                stream = container.add_stream("libx264", rate=rate, options=OPTIONS)
                codec = stream.codec_context
                codec.width, codec.height, codec.pix_fmt = picture.shape[1], picture.shape[0], "yuv420p"
                codec.color_range, codec.colorspace = LEGAL, BT709
                codec.color_primaries = codec.color_trc = BT709
            frame = av.VideoFrame.from_ndarray(picture, "rgb24").reformat(format="yuv420p", dst_colorspace="ITU709")
            frame.pts, frame.time_base = index, 1 / rate
            container.mux(stream.encode(frame))
        if stream is not None:
            container.mux(stream.encode(None))
