"""Jobs, shots, footage and looks over HTTP."""

from dataclasses import asdict
from pathlib import Path, PurePosixPath
from typing import Any

from accounts.log import name_of, note
from django.db import transaction
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from events.tell import tell
from jobs import actions, clearing, history, members, pictures, viewing
from jobs.models import Job, Member, Shot
from ninja import File, Router, Status, UploadedFile

from api.job_schemas import (
    BringIn,
    ClipOut,
    HereIn,
    JobChange,
    JobIn,
    JobOut,
    LookData,
    ProxyOut,
    ShotIn,
    ShotOut,
    ValuesOut,
)
from hushcore.colour.looks import CDL_SUFFIXES, LUT_SUFFIXES, Look, load_lut, read_cdl
from hushcore.errors import HushError

router = Router(tags=["jobs"])
MOST_SMALL_FILE = 40_000_000  # bytes of a LUT, a CDL or an edit


def look_out(look: Look) -> LookData:
    """A look as the screens see it."""
    data = asdict(look)
    return LookData(**{**data, "lut": Path(look.lut).name if look.lut else ""})


def shot_out(shot: Shot) -> ShotOut:
    """A shot as the screens see it."""
    clip = shot.clip
    inside = [frame for frame in clip.missing if shot.first <= frame <= shot.last]
    return ShotOut(
        id=shot.id, name=shot.name, status=shot.status, status_words=shot.get_status_display(), note=shot.note,
        job=shot.job_id, job_name=shot.job.name, cut_in=shot.cut_in, cut_out=shot.cut_out, handles=shot.handles,
        look=look_out(viewing.look_of(shot)), look_name=viewing.look_name(shot), put_away=shot.put_away,
        **_steps(shot),
        clip=ClipOut(
            kind=clip.kind, name=clip.stem.rstrip("._- ") or Path(clip.folder).name, first=shot.first, last=shot.last,
            clip_first=clip.first, clip_last=clip.last, missing=inside, odd=clip.odd, doubles=clip.doubles, width=clip.width,
            height=clip.height, channels=clip.channels, depth=clip.depth, bits=clip.real_bits, codec=clip.codec, lossy=clip.lossy,
            space=clip.space, space_words=clip.encoding.words, found_space=clip.found_space, rate_num=clip.rate_num,
            rate_den=clip.rate_den, found_rate=clip.found_rate, timecode=clip.timecode, pixel_aspect=clip.pixel_aspect,
        ),
    )  # fmt: skip


def _steps(shot: Shot) -> dict[str, Any]:
    """What undo and redo would do to the shot as a whole, and since when."""
    back, again = history.to_undo(shot), history.to_redo(shot)
    return {
        "undo": back.label if back else "", "undo_at": back.made.timestamp() if back else 0,
        "redo": again.label if again else "", "redo_at": again.undone.timestamp() if again and again.undone else 0,
    }  # fmt: skip


def job_out(job: Job, person: Any) -> JobOut:
    """A job as a person sees it."""
    return JobOut(
        id=job.id, name=job.name, client=job.client, note=job.note, put_away=job.put_away,
        role=members.role_in(person, job.id) or "",
        shots=[shot_out(shot) for shot in job.shots.select_related("clip", "job")],
    )  # fmt: skip


def _shot(shot: int) -> Shot:
    found: Shot = get_object_or_404(Shot.objects.select_related("clip", "job"), id=shot)
    return found


@router.get("jobs", response=list[JobOut])
def list_jobs(request: HttpRequest) -> list[JobOut]:
    """The jobs that one is in, with their shots."""
    return [job_out(job, request.user) for job in members.jobs_of(request.user).prefetch_related("shots__clip")]


@router.post("jobs", response={201: JobOut})
def make_job(request: HttpRequest, payload: JobIn) -> Status:
    """A new job."""
    if not payload.name.strip():
        raise HushError("Give the job a name.", "no-name")
    with transaction.atomic():
        made = Job.objects.create(name=payload.name.strip(), client=payload.client.strip())
        Member.objects.create(job=made, person=request.user, role=members.SUPERVISOR)
        note(request.user, "made a job", made.name, made.id)
    return Status(201, job_out(made, request.user))


@router.get("shots/{shot}", response=ShotOut)
def get_shot(request: HttpRequest, shot: int) -> ShotOut:
    """One shot."""
    return shot_out(_shot(shot))


@router.patch("shots/{shot}", response=ShotOut)
def correct(request: HttpRequest, shot: int, payload: ShotIn) -> ShotOut:
    """Correct a shot: what was found, what is worked on, how it is shown."""
    given = payload.dict(exclude_unset=True)
    if given.get("rate_num"):
        given["rate"] = (given["rate_num"], payload.rate_den or 1)
    return shot_out(actions.correct(_shot(shot), given, by=request.user))


@router.post("shots/{shot}/here", response={204: None})
def here(request: HttpRequest, shot: int, payload: HereIn) -> Status:
    """Someone has the shot open; the others' screens show it for some seconds."""
    with transaction.atomic():
        tell("here", shot=shot, who=name_of(request.user)[:80], window=payload.window, fix=payload.fix)
    return Status(204, None)


@router.delete("shots/{shot}", response={204: None})
def delete_shot(request: HttpRequest, shot: int) -> Status:
    """Delete a shot with its fixes; footage and deliveries stay on the disk."""
    found = _shot(shot)
    with transaction.atomic():
        note(request.user, "deleted a shot", found.name, found.job_id, found.id)
        clearing.delete_shot(found)
    return Status(204, None)


@router.post("shots/{shot}/undo", response=ShotOut)
def undo(request: HttpRequest, shot: int) -> ShotOut:
    """Take back the last change of the shot as a whole: its look, its range, the order of its fixes, one taken away."""
    history.step(_shot(shot).id, back=True)
    return shot_out(_shot(shot))


@router.post("shots/{shot}/redo", response=ShotOut)
def redo(request: HttpRequest, shot: int) -> ShotOut:
    """Do the last change of the shot as a whole again."""
    history.step(_shot(shot).id, back=False)
    return shot_out(_shot(shot))


@router.patch("jobs/{job}", response=JobOut)
def correct_job(request: HttpRequest, job: int, payload: JobChange) -> JobOut:
    """Rename a job, note something on it, put it away or take it out again."""
    made = clearing.correct_job(get_object_or_404(Job, id=job), payload.dict(exclude_unset=True))
    return job_out(made, request.user)


@router.delete("jobs/{job}", response={204: None})
def delete_job(request: HttpRequest, job: int) -> Status:
    """Delete a job with its shots; footage and deliveries stay on the disk."""
    found = get_object_or_404(Job, id=job)
    with transaction.atomic():
        note(request.user, "deleted a job", found.name, found.id)
        clearing.delete_job(found)
    return Status(204, None)


@router.post("jobs/{job}/shots", response={201: ShotOut})
def bring_in(request: HttpRequest, job: int, payload: BringIn) -> Status:
    """A new shot from footage under the storage root."""
    more = payload.dict(exclude={"name", "place", "note", "rate_num", "rate_den"})
    rate = (payload.rate_num, payload.rate_den) if payload.rate_num else None
    made = actions.bring_in(get_object_or_404(Job, id=job), payload.name, payload.place, rate, payload.note, **more)
    return Status(201, shot_out(made))


@router.post("shots/{shot}/look/file", response=ShotOut)
def look_file(request: HttpRequest, shot: int, file: File[UploadedFile]) -> ShotOut:
    """Take a CDL (.cc, .ccc, .cdl) or a 3D LUT (.cube) into the shot's look."""
    found = _shot(shot)
    name = PurePosixPath(str(file.name)).name
    suffix = Path(name).suffix.lower()
    if suffix not in (*CDL_SUFFIXES, *LUT_SUFFIXES):
        raise HushError(f"{name} is neither a CDL (.cc, .ccc, .cdl) nor a .cube LUT.", "bad-suffix")
    if (file.size or 0) > MOST_SMALL_FILE:
        raise HushError(f"{name} is too large for a look.", "too-large")
    path = viewing.lut_path(name)
    path.parent.mkdir(parents=True, exist_ok=True)
    part = path.with_name(f".{path.stem}.part{suffix}")
    part.write_bytes(file.read())
    look = look_out(viewing.look_of(found)).dict()
    try:
        if suffix in LUT_SUFFIXES:
            load_lut(str(part))
            part.replace(path)
            look["lut"] = name
        else:
            look["cdl"] = asdict(read_cdl(part)[0][1])
    finally:
        part.unlink(missing_ok=True)
    return shot_out(actions.correct(found, {"look": look}, by=request.user))


@router.get("shots/{shot}/values", response=ValuesOut)
def values(request: HttpRequest, shot: int, frame: int, x: int, y: int) -> ValuesOut:
    """The source's pixel under the pointer: in code, in scene-linear light, as the display shows it."""
    found = _shot(shot)
    codes = pictures.codes_of(found.clip.media(), frame)
    if not (0 <= x < codes.shape[1] and 0 <= y < codes.shape[0]):
        raise HushError("This place lies outside the picture.", "no-frame")
    return values_out(found, codes, x, y)


def values_out(shot: Shot, codes: Any, x: int, y: int) -> ValuesOut:
    """A pixel of a frame's codes."""
    pixel = codes[y : y + 1, x : x + 1]
    colour = viewing.colour_of(pixel)
    return ValuesOut(
        x=x, y=y, codes=viewing.real_codes(shot, pixel),
        linear=[float(v) for v in shot.clip.encoding.decode(colour).ravel()],
        shown=[float(v) for v in viewing.look_values(shot, colour)],
    )  # fmt: skip


@router.get("shots/{shot}/proxies", response=ProxyOut)
def proxies(request: HttpRequest, shot: int) -> ProxyOut:
    """How far a shot's proxies are, and what they take."""
    found = _shot(shot)
    files, size = actions.disk_use(pictures.proxy_folder(shot))
    ready = pictures.proxies_ready(found)
    return ProxyOut(frames=ready, of=found.last - found.first + 1, files=files, bytes=size)


@router.post("shots/{shot}/proxies", response={202: None})
def build_proxies(request: HttpRequest, shot: int) -> Status:
    """Make what is missing of a shot's proxies."""
    actions.build_proxies(_shot(shot))
    return Status(202, None)


@router.delete("shots/{shot}/proxies", response={204: None})
def clear_proxies(request: HttpRequest, shot: int) -> Status:
    """Take a shot's proxies off the disk."""
    actions.clear_proxies(_shot(shot).id)
    return Status(204, None)
