"""Bytes without a mark: answers of many languages, in the encodings their files come in, short and long."""

import random

import pytest

from even_ballot.formats.sources.letters.encodings import guess_encoding
from even_ballot.formats.sources.letters.readings import readings, side_by_side

# What people answer, a language a line; the encodings its files usually come in.
ANSWERS = {
    "French": ("cp1252 iso8859_15", "Très important|Plutôt d’accord|Jamais|Île de Veldrée|Déjà passé|À pied"),
    "German": ("cp1252 iso8859_15", "Völlig einverstanden|Täglich|Früher öfter|Fähre|Fuß|Weiß nicht"),
    "Spanish": ("cp1252 iso8859_15", "Según el día|Más de un año|Muy fácil|¿Por qué?|Niños|Autobús|Quizás"),
    "Portuguese": ("cp1252 iso8859_15", "Não sei|Às vezes|Muito satisfeito|Avião|Três opções|Médio|Região"),
    "Italian": ("cp1252 iso8859_15", "Più di un’ora|Sì|Perché è comodo|Metà|Qualità|Però no|Città"),
    "Swedish": ("cp1252 iso8859_15", "Håller helt med|Färja|Någon gång|Missnöjd|Varje månad|Större ö"),
    "Danish": ("cp1252 iso8859_15", "Næsten aldrig|Færge|Både og|Øen|Ønsker ikke at svare|Hver måned"),
    "Finnish": ("cp1252 iso8859_15", "Täysin eri mieltä|Päivittäin|En käytä|Tyytyväinen|Yö|Työ"),
    "Polish": ("cp1250 iso8859_2", "Zdecydowanie się zgadzam|Raz na tydzień|Żaden|Łódź i prom|Często|Źle"),
    "Czech": ("cp1250 iso8859_2", "Rozhodně souhlasím|Každý den|Občas|Přívoz|Příliš drahé|Nevím|Žena|Muž"),
    "Hungarian": ("cp1250 iso8859_2", "Teljesen egyetértek|Nő|Férfi|Időnként|Egyáltalán nem|Két hét múlva"),
    "Slovak": ("cp1250 iso8859_2", "Úplne súhlasím|Každý týždeň|Väčšinou|Loďou|Žiadna odpoveď|Muž|Žena"),
    "Lithuanian": (
        "cp1257",
        "Visiškai sutinku|Kiekvieną dieną|Mėnesį|Nežinau|Šeštadienį|Įmonė|Moteris nežymi",
    ),
    "Latvian": (
        "cp1257",
        "Pilnīgi piekrītu|Katru dienu|Mēnesī|Nezinu, grūti pateikt|Šķērsoju bieži|Vīrietis",
    ),
    "Estonian": ("cp1257", "Täiesti nõus|Iga päev|Mõnikord|Ei oska öelda|Üks kord kuus|Väga hea|Põhjus"),
    "Russian": ("cp1251 koi8_r", "Полностью согласен|Каждый день|Никогда|Затрудняюсь ответить|Женщина|Паром"),
    "Greek": ("cp1253", "Συμφωνώ απόλυτα|Κάθε μέρα|Ποτέ|Δεν ξέρω|Γυναίκα|Άνδρας|Πλοίο"),
    "Turkish": (
        "cp1254",
        "Kesinlikle katılıyorum|Her gün|Hiçbir zaman|Kadın|Erkek|Feribot seferi|Bilmiyorum, boş",
    ),
}
SIZES = [400, 3_000, 40_000, 1_000_000]
CASES = [(language, code) for language, (codes, _) in ANSWERS.items() for code in codes.split()]


def survey(language: str, size: int) -> str:
    """Records of a survey in a language, of about as many bytes, headings and islands in plain letters."""
    rng = random.Random(f"{language} {size}")
    answers = ANSWERS[language][1].split("|")
    lines, length = ["id;answer;reason;fare"], 0
    while length < size:
        lines.append(f"{len(lines)};{rng.choice(answers)};{rng.choice(answers)};{rng.randint(2, 40)}")
        length += len(lines[-1]) + 1
    return "\n".join(lines)


@pytest.mark.parametrize(("language", "encoding"), [*CASES, ("French", "mac_roman"), ("German", "cp850")])
@pytest.mark.parametrize("size", SIZES)
def test_a_file_reads_as_it_was_written(language: str, encoding: str, size: int) -> None:
    text = survey(language, size)
    if encoding != "cp1252":
        text = text.replace("’", "'")
    content = text.encode(encoding)
    assert content.decode(guess_encoding(content)) == text


@pytest.mark.parametrize(("language", "encoding"), CASES)
def test_one_word_among_plain_records_is_enough_or_in_doubt(language: str, encoding: str) -> None:
    wrong = []
    for word in ANSWERS[language][1].replace("’", "'").split("|"):
        content = word.encode(encoding)
        if word.isascii():
            continue
        found = readings(content)
        if content.decode(found[0].encoding) != word and not side_by_side(content, found[0].encoding):
            wrong.append((word, content.decode(found[0].encoding)))
    assert not wrong


@pytest.mark.parametrize(
    ("encoding", "text"),
    [
        ("cp1255", "מסכים בהחלט;כל יום;לעולם לא;לא יודע"),
        ("cp1256", "أوافق تماما;كل يوم;أبدا;لا أعرف"),
        ("shift_jis", "強く同意する;毎日;まったくない;わからない;女性"),
        ("gb18030", "非常同意;每天;从不;不知道;女性;渡轮"),
        ("cp949", "매우 동의;매일;전혀;모르겠다;여성"),
    ],
)
def test_other_families_are_known(encoding: str, text: str) -> None:
    content = "\n".join([text] * 20).encode(encoding)
    assert content.decode(guess_encoding(content)) == "\n".join([text] * 20)


def test_signs_and_capitals_stand_where_they_do() -> None:
    """Quotation marks, the euro and words in capitals: in most encodings these bytes are something else."""
    text = "Prix;Avis\n12 €;« Très bien »\n8 €;“Ça va”\n9 €;TRÈS CHÈRE, TROP ÉLOIGNÉE\n7 €;Œufs – non\n"
    assert text.encode("cp1252").decode(guess_encoding(text.encode("cp1252"))) == text


def test_what_could_be_either_is_shown_side_by_side() -> None:
    content = "Kõrb, hűs".encode("cp1257", "ignore") + "ő".encode("cp1250")
    beside = side_by_side(content, "cp1252")
    assert 2 <= len(beside) <= 3
    assert len({r.words for r in beside}) == len(beside)
    assert all(len(set(words)) > 1 for words in zip(*(r.words for r in beside), strict=True))


def test_a_sure_reading_stands_alone_unless_another_was_taken() -> None:
    content = survey("Czech", 400).encode("cp1250")
    assert side_by_side(content, "cp1250") == ()
    assert side_by_side(content, "cp1252")[0].encoding == "cp1250"
    assert side_by_side(content, "no-such-encoding")
    assert side_by_side(b"a;b\n1;2\n", "cp1252") == ()


@pytest.mark.parametrize(
    "content",
    [b"\x93" * 3_000_000, b"a" * 3_000_000 + b"\xe9", b"\xe9" * 3_000_000, b"\xabb" * 1_500_000],
    ids=["signs", "plain letters", "letters", "both"],
)
def test_a_word_without_end_is_looked_at_in_pieces(content: bytes) -> None:
    """Looked at whole, each of these takes minutes to hours."""
    found = readings(content)
    assert found
    assert all(len(word) <= 81 for reading in found for word in reading.words)
