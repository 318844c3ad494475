"""Pictures that are attached to entries of the record: files beside it at this workstation, and in the shop's database
for all others, by what is in them."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Iterator
from pathlib import Path

import platformdirs
from pydantic import JsonValue

from ledgecliff.core.errors import InvalidValueError, LedgecliffError
from ledgecliff.core.record.entries import LONGEST_NAME, RecordEntry

from .atomic import make_folder, write_atomic

#: How files of the kinds that are taken begin, and their ending here.
_KINDS = {b"\x89PNG\r\n\x1a\n": ".png", b"\xff\xd8\xff": ".jpg"}
#: No picture of a machine is larger (bytes).
LARGEST = 20_000_000
#: Under which an entry names its pictures.
PICTURES = "pictures"


def pictures_folder() -> Path:
    return Path(platformdirs.user_data_dir("ledgecliff")) / "pictures"


def keep_picture(path: Path) -> dict[str, JsonValue]:
    """Beside the record from now on; as an entry names it.  Raises InvalidValueError for what is no picture, and
    WriteError."""
    try:
        if path.stat().st_size > LARGEST:
            raise InvalidValueError(path.name, f"is larger than {LARGEST // 1_000_000} MB; make it smaller")
        content = path.read_bytes()
    except OSError as error:
        raise InvalidValueError(path.name, f"cannot be read: {error.strerror}; name a picture") from error
    sha256 = hashlib.sha256(content).hexdigest()
    _keep(sha256, content, path.name)
    return {"name": path.name[:LONGEST_NAME], "sha256": sha256}


def _keep(sha256: str, content: bytes, name: str) -> Path:
    ending = next((ending for begins, ending in _KINDS.items() if content.startswith(begins)), None)
    if ending is None:
        raise InvalidValueError(name, "is neither a PNG nor a JPEG picture; save it as one")
    place = pictures_folder() / f"{sha256}{ending}"
    if not place.is_file():
        make_folder(place.parent)
        write_atomic(place, content)
    return place


def pictures_of(entry: RecordEntry) -> Iterator[tuple[str, str]]:
    """Name and checksum of each that the entry names; what is not so written is none."""
    named = entry.data.get(PICTURES)
    for each in named if isinstance(named, list) else ():
        if isinstance(each, dict) and isinstance(each.get("sha256"), str):
            yield str(each.get("name", "")), str(each["sha256"])


def picture_here(sha256: str) -> Path | None:
    """Where it lies at this workstation."""
    places = (pictures_folder() / f"{sha256}{ending}" for ending in _KINDS.values())
    return next((place for place in places if place.is_file()), None) if _is_checksum(sha256) else None


def _is_checksum(text: str) -> bool:
    """What comes from a record names no other file."""
    return len(text) == 64 and all(sign in "0123456789abcdef" for sign in text)


def send_pictures(place: Path | str, entries: Iterable[RecordEntry]) -> None:
    """Into the shop's database, before the entries that name them.  Raises ShopDatabaseError."""
    named = [(name, sha) for entry in entries for name, sha in pictures_of(entry)]
    paths = [path for _, sha in named if (path := picture_here(sha)) is not None]
    if not paths:
        return
    from .library_db import LibraryDb

    db = LibraryDb(place)
    try:
        db.keep_files(path.read_bytes() for path in paths)
    finally:
        db.close()


def fetch_picture(place: Path | str, sha256: str) -> Path | None:
    """Where it lies here, fetched from the shop's database where another workstation attached it; None where that has
    none, or is away."""
    here = picture_here(sha256)
    if here is not None or not _is_checksum(sha256):
        return here
    from .library_db import LibraryDb

    try:
        db = LibraryDb(place)
        try:
            content = db.file(sha256)
        finally:
            db.close()
        if content is None or hashlib.sha256(content).hexdigest() != sha256:
            return None
        return _keep(sha256, content, "picture")
    except LedgecliffError:
        return None


def export_pictures(place: Path | str, entries: Iterable[RecordEntry], folder: Path) -> int:
    """How many lie in ``folder`` now, beside an exported record.  Raises WriteError."""
    count = 0
    for sha in dict.fromkeys(sha for entry in entries for _, sha in pictures_of(entry)):
        path = fetch_picture(place, sha)
        if path is not None:
            make_folder(folder)
            write_atomic(folder / path.name, path.read_bytes())
            count += 1
    return count


def import_pictures(entries: Iterable[RecordEntry], folder: Path) -> int:
    """How many of those that the entries name were in ``folder``, and are here now."""
    count = 0
    for sha in dict.fromkeys(sha for entry in entries for _, sha in pictures_of(entry)):
        for ending in _KINDS.values() if _is_checksum(sha) else ():
            path = folder / f"{sha}{ending}"
            if path.is_file() and hashlib.sha256(path.read_bytes()).hexdigest() == sha:
                _keep(sha, path.read_bytes(), path.name)
                count += 1
    return count


def beside_export(path: Path) -> Path:
    """The folder of pictures that goes with an exported record."""
    return path.with_name(f"{path.stem}-pictures")
