"""Lists of cuts for editing programs: a film's, or a shot's, with what was rendered of them."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from vistaline.actions.films import current_film, shot_rows, shots_of_film
from vistaline.actions.renders import delivery_of, file_name, span_of_job
from vistaline.actions.shots import current_shot
from vistaline.core.delivery.cutlist import Media, film_cuts, shot_cuts
from vistaline.store.models import FilmRow, JobState, RenderJob, ShotRow

__all__ = ["cut_list"]


def cut_list(session: Session, row: ShotRow | FilmRow) -> str:
    """Return the cuts of a film, or a shot as one clip, as an OpenTimelineIO document.

    What its clips refer to are the newest finished clips of its shots, by the names they are
    fetched under: put beside the list, they are found.
    """
    if isinstance(row, ShotRow):
        return shot_cuts(current_shot(session, row), _rendered(session, {"": row}))
    film = current_film(session, row)
    rendered = _rendered(session, shot_rows(session, film))
    return film_cuts(film, shots_of_film(session, film), rendered)


def _rendered(session: Session, rows: dict[str, ShotRow]) -> dict[tuple[str, str], Media]:
    found = {}
    for key, row in rows.items():
        query = select(RenderJob).where(
            RenderJob.shot_id == row.id, RenderJob.state == JobState.DONE, RenderJob.camera == ""
        )
        for job in session.scalars(query.order_by(RenderJob.id)):
            span = span_of_job(job)
            if span.every > 1 or not delivery_of(job).encoder.joined:
                continue
            # The frame of the shot that its first frame is: handles begin before it.
            found[key, job.take] = Media(file=file_name(job), first=span.start, frames=span.count)
    return found
