"""What a run hands over, each file whole."""

from even_ballot.core.study.results import Results
from even_ballot.core.study.study_file import Study
from even_ballot.services.releases.files import outputs


def released(study: Study, results: Results) -> dict[str, bytes]:
    """Every file by name."""
    return {name: b"".join(pieces) for name, pieces in outputs(study, results).items()}
