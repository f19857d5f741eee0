"""The online form: its questions and answers."""

from dataclasses import dataclass

AGREE = ("Strongly disagree", "Disagree", "Neither agree nor disagree", "Agree", "Strongly agree")
OFTEN = ("Never", "A few times a year", "Every month", "Every week")
SEX = ("Woman", "Man")
TENURE = ("Owned by someone in the household", "Rented", "Some other way")
SCHOOLING = ("Primary school", "Lower secondary school", "Upper secondary school", "College or university")
REASONS = ("Work or school", "Shopping", "Family and friends", "Health care", "Goods or freight", "Leisure")
TRANSLATED = {
    "Strongly disagree": "Do not agree at all", "Disagree": "Rather not agree", "Neither agree nor disagree": "Partly",
    "Agree": "Rather agree", "Strongly agree": "Fully agree",
}  # fmt: skip
MISSPELT = {
    "Agre": 4,
    "Strongly agee": 5,
    "Disagre": 2,
    "Stongly disagree": 1,
    "Neither agree or disagree": 3,
}
TURNED = (2, 5)

_STEM = "Thinking of the past twelve months, how far do you agree or disagree with this statement about the ferry? "
_SAID = (
    "The ferry runs when I need it", "I can rely on the timetable", "Crossing costs more than it should",
    "Staff on board are helpful", "I feel safe on the crossing", "The boats are too crowded",
    "Getting on and off is easy", "The ferry keeps the isles together",
)  # fmt: skip
STATEMENTS = tuple(f'{_STEM}"{said}"' for said in _SAID)
_SERVICES = (
    "Passenger ferry",
    "Car deck",
    "Mail boat",
    "Clinic boat",
    "Freight barge",
    "Summer excursion boat",
)


@dataclass(frozen=True)
class _Headings:
    """Headings of the export. `more` stands twice in the file under one text; `keys` tells them apart."""

    entry: str = "Entry"
    letter: str = "Code on your letter"
    started: str = "Started at"
    finished: str = "Finished at"
    status: str = "Entry status"
    order: str = "Order of blocks"
    district: str = "Landing district (the five or six characters printed on the letter)"
    sex: str = "Are you a woman or a man?"
    age: str = "How old are you?\n(whole years, on the day you fill this in)"
    tenure: str = "Is the home you live in owned / rented / held in some other way?"
    school: str = "What is the highest school you finished?"
    services: tuple[str, ...] = tuple(
        f"How often do you use these services between the isles? [{name}]" for name in _SERVICES
    )
    reasons: str = "Why do you cross to another isle? Tick all that apply."
    spend: str = "What did you yourself spend on fares in the past seven days? (crowns)"
    household: str = "How many people live in your household, you included?"
    office: str = (
        "How content are you with the harbour office? (1 = not at all … 5 = very much; 99 = no answer)"
    )
    more: tuple[str, str] = ("more 1", "more 2")
    more_text: str = 'Would you like to say more? ("No" is fine.)'

    @property
    def keys(self) -> tuple[str, ...]:
        before = (self.entry, self.letter, self.started, self.finished, self.status, self.order, self.district, self.sex, self.age,
                  self.tenure, self.school)  # fmt: skip
        after = (self.reasons, self.spend, self.household, self.office, self.more[1])
        return (*before, *STATEMENTS, self.more[0], *self.services, *after)

    @property
    def columns(self) -> tuple[str, ...]:
        return tuple(self.more_text if key in self.more else key for key in self.keys)


HEADINGS = _Headings()
