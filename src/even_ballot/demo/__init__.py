"""The Veldry Isles ferry survey: made-up answers, as they would really arrive."""

from pathlib import Path

FILES = Path(__file__).parent / "files"
"""The demo's files: study.json, answers.csv, answers-second-delivery.xlsx, frame.csv, margins.csv."""
