"""Pieces that are a picture a frame: written, read back, compared."""

from pathlib import Path

import numpy as np
import OpenImageIO as oiio

from hushcore.arrays import Codes
from hushcore.deliver.forms import of_matte
from hushcore.deliver.layers import Finished, alone
from hushcore.deliver.pieces import TOGETHER, Order, Piece
from hushcore.deliver.proof import FrameProof, compare, digest_of, narrowed, not_as_made
from hushcore.media import timecode
from hushcore.media.clips import Clip
from hushcore.media.pictures import AP0, AP1, read_all, read_codes, write_codes, write_like

PRIMARIES = {"ACES2065-1": AP0, "ACEScg": AP1}
PACKED = {".exr": "zip", ".tif": "none"}


class Pictures:
    """Writes one piece, frame by frame."""

    def __init__(self, order: Order, number: int, folder: Path) -> None:
        self.order, self.number, self.folder = order, number, folder
        self.piece: Piece = order.pieces[number]

    def files(self, frame: int) -> list[str]:
        """What is written for a frame."""
        if self.piece.what == "mattes":
            return [self.order.file(self.piece, frame, fix) for fix in self.order.covers(self.piece)]
        return [self.order.file(self.piece, frame)]

    def frame(self, done: Finished) -> list[FrameProof]:
        """Write what belongs to a frame, and prove it. Raises HushError when the disk is full or what is read back is not
        what should be there; that file is then taken away again."""
        if self.piece.what == "mattes":
            return [
                self._matte(done, fix, file)
                for fix, file in zip(self.order.covers(self.piece), self.files(done.frame), strict=True)
            ]
        if self.piece.like_source:
            return [self._like_source(done)]
        return [self._patch(done) if self.piece.what == "patch" else self._frames(done)]

    def _like_source(self, done: Finished) -> FrameProof:
        clip, path = self.order.clip, self.folder / self.order.file(self.piece, done.frame)
        assert isinstance(clip, Clip)
        write_like(clip.path(done.frame), path, done.codes)
        written = narrowed(read_codes(path), done.source.dtype)
        return self._proof(done, path, done.source, done.codes, written)

    def _frames(self, done: Finished) -> FrameProof:
        values = self.order.values(self.piece)
        source, codes = values.of(done.source), values.of(done.codes)
        more = []
        if self.piece.mattes:
            more = [(f"matte.{name}", of_matte(done.matte(name), values.form)) for name in self.order.fixes]
        path = self.folder / self.order.file(self.piece, done.frame)
        whole = np.concatenate([codes, *(matte for _, matte in more)], axis=2) if more else codes
        self._write(path, whole, done.frame, [name for name, _ in more])
        written = read_all(path)
        if more and compare(whole, written, done.mask) != (0, 0):
            raise not_as_made(done.frame, path, "what is read back is not what was written")
        return self._proof(done, path, source, codes, written[..., : codes.shape[2]])

    def _matte(self, done: Finished, fix: str, file: str) -> FrameProof:
        matte = done.together if fix == TOGETHER else done.matte(fix)
        codes = of_matte(matte, self.order.form(self.piece))
        self._write(self.folder / file, codes, done.frame)
        return self._proof(done, self.folder / file, np.zeros_like(codes), codes, read_all(self.folder / file))

    def _patch(self, done: Finished) -> FrameProof:
        codes = alone(done, self.order.values(self.piece), self.piece.straight)
        path = self.folder / self.order.file(self.piece, done.frame)
        self._write(path, codes, done.frame, straight=self.piece.straight)
        return self._proof(done, path, np.zeros_like(codes), codes, read_all(path))

    def _proof(self, done: Finished, path: Path, source: Codes, made: Codes, written: Codes) -> FrameProof:
        """``source``: what must be outside the mattes; ``made``: what must be there altogether."""
        mask = done.mask
        inside, outside = compare(source, written, mask)
        if outside:
            raise not_as_made(done.frame, path, f"{outside} values differ outside the matte")
        if compare(made, written, mask) != (0, 0):
            raise not_as_made(done.frame, path, "what is read back is not what was written")
        digest, size = digest_of(path)
        name = path.relative_to(self.folder).as_posix()
        return FrameProof(
            done.frame, name, digest, size, int(source.size), int(mask.sum()), inside, outside, self.number
        )

    def _write(
        self, path: Path, codes: Codes, frame: int, more: list[str] | None = None, straight: bool = True
    ) -> None:
        form, target = self.order.form(self.piece), self.order.values(self.piece).target
        spec = oiio.ImageSpec(codes.shape[1], codes.shape[0], codes.shape[2], "uint16")
        if more:
            colours = codes.shape[2] - len(more)
            spec.channelnames = (*("Y" if colours == 1 else "RGBA"[:colours]), *more)
        spec["compression"] = PACKED.get(form.suffix, "")
        if form.suffix == ".dpx":
            spec["oiio:BitsPerSample"] = form.bits
            spec["dpx:RawColor"] = 1
        if form.suffix == ".png":
            spec["png:compressionLevel"] = 2
        if form.floats and target.floats_linear and target.linear_space in PRIMARIES:
            spec.attribute("chromaticities", oiio.TypeDesc("float[8]"), PRIMARIES[target.linear_space])
        self._tell_time(spec, frame)
        write_codes(path, codes, spec, straight)

    def _tell_time(self, spec: oiio.ImageSpec, frame: int) -> None:
        order = self.order
        if order.rate is None:
            return
        spec.attribute("framesPerSecond", oiio.TypeRational, (order.rate.numerator, order.rate.denominator))
        spec["dpx:FrameRate"] = float(order.rate)
        at = timecode.after(order.timecode, frame - order.clip.first, order.rate)
        if at:
            spec.attribute("smpte:TimeCode", oiio.TypeTimeCode, (timecode.bcd(at), 0))
