"""What the database holds."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from typing import Any, ClassVar, Final

from sqlalchemy import JSON, BigInteger, ForeignKey, Integer, String, Text
from sqlalchemy.dialects.mysql import DATETIME
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship

from oatmeal.library.store import Original


def now() -> datetime:
    """The present moment in UTC, as stored."""
    return datetime.now(UTC).replace(tzinfo=None)


#: Days for which what was removed is listed; the same file brings its work back later, too.
REMOVED_DAYS: Final = 30


def listed_since() -> datetime:
    """What was removed after this moment is listed among the removed."""
    return now() - timedelta(days=REMOVED_DAYS)


class Base(DeclarativeBase):
    """Base of all tables; times are UTC with microseconds."""

    type_annotation_map: ClassVar[dict[Any, Any]] = {
        datetime: DATETIME(fsp=6),
        dict[str, Any]: JSON(),
    }


class Series(Base):
    """Photographs taken together."""

    __tablename__ = "series"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(200))
    created_at: Mapped[datetime] = mapped_column(default=now)
    deleted_at: Mapped[datetime | None]

    photographs: Mapped[list[Photograph]] = relationship(
        back_populates="series", order_by="Photograph.position, Photograph.id"
    )


class Photograph(Base):
    """One file in a series; the original is in the file store under its SHA-256.

    ``shown_id`` names the version that the sheet shows; without it that is the first.
    ``came_from`` is the path of the file that was handed over, where it was.
    """

    __tablename__ = "photograph"

    id: Mapped[int] = mapped_column(primary_key=True)
    series_id: Mapped[int] = mapped_column(ForeignKey("series.id"), index=True)
    position: Mapped[int] = mapped_column(Integer)
    title: Mapped[str] = mapped_column(String(200))
    caption: Mapped[str] = mapped_column(Text, default="")
    file_name: Mapped[str] = mapped_column(String(255))
    sha256: Mapped[str] = mapped_column(String(64), index=True)
    suffix: Mapped[str] = mapped_column(String(8))
    file_bytes: Mapped[int] = mapped_column(BigInteger)
    width: Mapped[int]
    height: Mapped[int]
    bits: Mapped[int]
    note: Mapped[str] = mapped_column(Text, default="")
    taken_at: Mapped[datetime | None]
    came_from: Mapped[str | None] = mapped_column(Text)
    shown_id: Mapped[int | None] = mapped_column(
        ForeignKey("version.id", use_alter=True, name="fk_photograph_shown")
    )
    created_at: Mapped[datetime] = mapped_column(default=now)
    deleted_at: Mapped[datetime | None]

    series: Mapped[Series] = relationship(back_populates="photographs")
    versions: Mapped[list[Version]] = relationship(
        back_populates="photograph",
        primaryjoin="and_(Photograph.id == Version.photograph_id, Version.deleted_at.is_(None))",
        foreign_keys="Version.photograph_id",
        order_by="Version.position, Version.id",
    )

    @property
    def original(self) -> Original:
        """The file that was taken in."""
        return Original(self.sha256, self.suffix, self.file_name)

    @property
    def shown(self) -> Version:
        """The version that the sheet shows."""
        chosen = [version for version in self.versions if version.id == self.shown_id]
        return (chosen or self.versions)[0]


class Version(Base):
    """One treatment of a photograph.

    ``head_id`` names the history step whose recipe is in force; ``revision`` grows with every
    change, so that a page that is behind is noticed. ``pins`` are fixed meter readings, each with
    its place in shares of the uncropped picture and a label. ``again`` names what acts
    otherwise since an upgrade, until that was told on the bench.
    """

    __tablename__ = "version"

    id: Mapped[int] = mapped_column(primary_key=True)
    photograph_id: Mapped[int] = mapped_column(ForeignKey("photograph.id"), index=True)
    position: Mapped[int] = mapped_column(Integer, default=0)
    name: Mapped[str] = mapped_column(String(200))
    revision: Mapped[int] = mapped_column(Integer, default=1)
    head_id: Mapped[int | None] = mapped_column(
        ForeignKey("history_step.id", use_alter=True, name="fk_version_head")
    )
    pins: Mapped[list[Any] | None] = mapped_column(JSON())
    again: Mapped[str | None] = mapped_column(String(20))
    created_at: Mapped[datetime] = mapped_column(default=now)
    deleted_at: Mapped[datetime | None]

    photograph: Mapped[Photograph] = relationship(
        back_populates="versions", foreign_keys=[photograph_id]
    )
    head: Mapped[HistoryStep | None] = relationship(foreign_keys=[head_id], post_update=True)


class HistoryStep(Base):
    """One undo step: the whole recipe after it, and what changed in words.

    Steps form a tree through ``parent_id``; a change after an undo starts a new branch and the
    old one stays. ``kept`` is the name under which a state was kept.
    """

    __tablename__ = "history_step"

    id: Mapped[int] = mapped_column(primary_key=True)
    version_id: Mapped[int] = mapped_column(ForeignKey("version.id"), index=True)
    parent_id: Mapped[int | None] = mapped_column(ForeignKey("history_step.id"), index=True)
    recipe: Mapped[dict[str, Any]]
    words: Mapped[str] = mapped_column(String(500), default="")
    kept: Mapped[str | None] = mapped_column(String(200))
    created_at: Mapped[datetime] = mapped_column(default=now)


class ExportBatch(Base):
    """Finished files that were asked for together; ``output`` is how they are written."""

    __tablename__ = "export_batch"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(200))
    output: Mapped[dict[str, Any]]
    created_at: Mapped[datetime] = mapped_column(default=now)

    jobs: Mapped[list[ExportJob]] = relationship(
        back_populates="batch", order_by="ExportJob.id", cascade="all, delete-orphan"
    )


class ExportJob(Base):
    """One finished file: the recipe as it was when it was asked for, and how far it is.

    ``state`` is waiting, running, done, failed or cancelled. ``mark`` says everything that the
    file's content depends on.
    """

    __tablename__ = "export_job"

    id: Mapped[int] = mapped_column(primary_key=True)
    batch_id: Mapped[int] = mapped_column(ForeignKey("export_batch.id"), index=True)
    photograph_id: Mapped[int] = mapped_column(ForeignKey("photograph.id"))
    recipe: Mapped[dict[str, Any]]
    name: Mapped[str] = mapped_column(String(255))
    mark: Mapped[str] = mapped_column(String(64), index=True)
    state: Mapped[str] = mapped_column(String(12), default="waiting", index=True)
    error: Mapped[str] = mapped_column(Text, default="")
    bytes: Mapped[int | None] = mapped_column(BigInteger)
    finished_at: Mapped[datetime | None]

    batch: Mapped[ExportBatch] = relationship(back_populates="jobs")
    photograph: Mapped[Photograph] = relationship()


class JoinJob(Base):
    """A join that was asked for: its frames and choices, how far it is, and what came of it.

    ``document`` is the join document, with which it can be made again; ``state`` is as of an
    export's job.
    """

    __tablename__ = "join_job"

    id: Mapped[int] = mapped_column(primary_key=True)
    series_id: Mapped[int] = mapped_column(ForeignKey("series.id"), index=True)
    photograph_id: Mapped[int | None] = mapped_column(ForeignKey("photograph.id"), index=True)
    document: Mapped[dict[str, Any]]
    state: Mapped[str] = mapped_column(String(12), default="waiting", index=True)
    error: Mapped[str] = mapped_column(Text, default="")
    created_at: Mapped[datetime] = mapped_column(default=now)

    frames: Mapped[list[JoinFrame]] = relationship(
        order_by="JoinFrame.place", cascade="all, delete-orphan"
    )
    photograph: Mapped[Photograph | None] = relationship()


class JoinFrame(Base):
    """One frame of a join, in the order in which they were chosen."""

    __tablename__ = "join_frame"

    join_id: Mapped[int] = mapped_column(ForeignKey("join_job.id"), primary_key=True)
    place: Mapped[int] = mapped_column(primary_key=True)
    photograph_id: Mapped[int] = mapped_column(ForeignKey("photograph.id"), index=True)

    photograph: Mapped[Photograph] = relationship()


class SavedRecipe(Base):
    """A recipe kept by name, for other photographs.

    ``groups`` names the groups of settings that travel with it; ``at_import`` is true for the one
    that new photographs begin with.
    """

    __tablename__ = "saved_recipe"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(200))
    note: Mapped[str] = mapped_column(Text, default="")
    tags: Mapped[str] = mapped_column(String(300), default="")
    recipe: Mapped[dict[str, Any]]
    groups: Mapped[list[str]] = mapped_column(JSON())
    at_import: Mapped[bool] = mapped_column(default=False)
    created_at: Mapped[datetime] = mapped_column(default=now)
    deleted_at: Mapped[datetime | None]
