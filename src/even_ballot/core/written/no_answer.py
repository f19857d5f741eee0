"""Words that mean no answer, in English and in some neighbours' languages."""

from even_ballot.core.written.texts import fold

_SAID = (
    "don't know|dont know|do not know|dk|d.k.|don't know / no answer|dk/na|can't say|cannot say|can't choose",
    "refused|refusal|declined|declined to answer|refused to answer|ref",
    "prefer not to say|prefer not to answer|rather not say|i prefer not to answer|i'd rather not say|pnts",
    "not applicable|n/a|na|n.a.|does not apply|doesn't apply|inapplicable|not asked|skipped|iap",
    "no answer|not answered|not stated|no response|missing|no reply|no data|not available|not given|"
    "unanswered",
    "unknown|not known|#n/a|null|nan|nil return|.|-|--|—|–|?|..|...|…|*",
    "weiß nicht|weiss nicht|keine angabe|k. a.|k.a.|keine antwort|weiß nicht / keine angabe|w.n.",
    "ne sait pas|nsp|sans réponse|sans reponse|refus|ne se prononce pas|non concerné|je ne sais pas",
    "no sabe|no contesta|ns/nc|no sabe / no contesta|no sé|no aplica|non so|non risponde|non applicabile",
    "weet niet|weet ik niet|geen antwoord|n.v.t.|wil niet zeggen|vet ej|vet inte|ved ikke|vet ikke",
    "nie wiem|trudno powiedzieć|odmowa|brak odpowiedzi|nevím|bez odpovědi|nem tudom|nu știu|não sabe|"
    "não responde",
    "en osaa sanoa|nezinau|nežinau|nezinu|ei tea|не знаю|затрудняюсь ответить|bilmiyorum|δεν ξέρω",
)
_LONGEST = 60
_WORDS = frozenset(word for line in _SAID for word in line.split("|"))


def means_no_answer(word: str) -> bool:
    """Whether an answer says that there is none.

    >>> [w for w in ("Don’t know", "Refused ", "N/A", "-", "No", "0") if means_no_answer(w)]
    ['Don’t know', 'Refused ', 'N/A', '-']
    """
    if len(word) > _LONGEST or word[:1].isdigit():
        return False
    text = fold(word).replace("’", "'").replace("‘", "'")
    return text in _WORDS or text.strip("()[]<>{}. ") in _WORDS or text.rstrip(".") in _WORDS
