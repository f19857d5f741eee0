"""The demo study, brought in as a person would."""

import io
import zipfile

from sqlalchemy.orm import Session

from even_ballot.demo import FILES
from even_ballot.services.states.study_states import Pipelines
from even_ballot.services.studies.studies import list_studies, take_in

TITLE = "Veldry Isles ferry survey"


def demo_zip() -> bytes:
    """The demo's study file and the files it reads."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        for name in ("study.json", "answers.csv", "frame.csv"):
            archive.write(FILES / name, name)
    return out.getvalue()


def load_demo(session: Session, pipelines: Pipelines) -> str | None:
    """The demo study, unless there is a study already (deleted ones count)."""
    if list_studies(session) or list_studies(session, deleted=True):
        return None
    return take_in(session, pipelines, "the demo", demo_zip())
