"""Which letters beside a to z a language writes, and how often: how a reading of bytes is judged."""

from collections.abc import Mapping
from types import MappingProxyType


def _often(told: str) -> Mapping[str, float]:
    """Letters and how many of them stand in a thousand letters: `é 15 è 3`."""
    words = told.split()
    return MappingProxyType(
        {letter: float(n) / 1000 for letter, n in zip(words[::2], words[1::2], strict=True)}
    )


def _alike(letters: str) -> Mapping[str, float]:
    """The letters of an alphabet of its own, the most frequent first: their shares fall with their rank."""
    shares = [1 / (rank + 3) for rank in range(len(letters))]
    return MappingProxyType({c: share / sum(shares) for c, share in zip(letters, shares, strict=True)})


# Rounded shares, per thousand letters of running text; a letter of loan words has the smallest.
LATIN: Mapping[str, Mapping[str, float]] = MappingProxyType(
    {
        "French": _often("é 16 è 4 à 5 ê 2.2 ç 1 â .5 ô .4 û .6 î .5 ï .2 ù .6 ë .1 œ .3 ü .05 æ .05 ÿ .02"),
        "German": _often("ä 6 ö 4 ü 7 ß 3 é .2 à .05"),
        "Spanish": _often("á 5 é 4.5 í 7 ó 8.5 ú 2 ñ 3.5 ü .2 ç .05"),
        "Portuguese": _often("ã 8 á 5 é 4 ç 6 ê 4 ó 3 õ 3 í 3 ú 1.5 â 1.2 à .8 ô .8 ü .05"),
        "Italian": _often("à 6 è 4 ì 1 ò 1.5 ù 1.6 é 1 î .02"),
        "Catalan": _often("à 7 é 8 è 4 í 5 ó 9 ò 2 ú 2 ç 2.5 ï 1 ü .5 · .5"),
        "Danish": _often("æ 9 ø 10 å 12 é .4 ö .1 ä .1"),
        "Swedish": _often("å 13 ä 18 ö 13 é .4 ü .1"),
        "Finnish": _often("ä 36 ö 5 å .5 š .1 ž .05 é .1"),
        "Icelandic": _often("á 18 ð 30 é 6 í 16 ó 10 ú 6 ý 2.5 þ 13 æ 8 ö 8"),
        "Dutch": _often("é 1.2 ë 2 ï .7 ö .3 è .3 ü .2 ê .1 á .1 ó .1 ç .05"),
        "English": _often("é .5 è .05 ö .1 ü .1 ñ .1 ï .1 ç .1 á .1 í .1 ó .1 ä .05"),
        "Polish": _often("ą 10 ć 6 ę 11 ł 20 ń 4 ó 9 ś 8 ź 1 ż 9 é .05 ö .05 ü .05"),
        "Czech": _often("á 22 č 10 ď .5 é 12 ě 15 í 30 ň 1 ó .5 ř 12 š 8 ť .6 ú 2 ů 6 ý 10 ž 10"),
        "Slovak": _often("á 17 ä .6 č 11 ď 2 é 8 í 10 ĺ .2 ľ 4 ň 2 ó 1 ô 2 ŕ .2 š 8 ť 6 ú 9 ý 10 ž 9"),
        "Hungarian": _often("á 34 é 36 í 7 ó 11 ö 10 ő 9 ú 4 ü 7 ű 3"),
        "Romanian": _often("ă 40 â 9 î 10 ș 8 ț 6 ş 8 ţ 6 é .05"),
        "Croatian": _often("č 10 ć 7 š 10 ž 6 đ 3"),
        "Slovenian": _often("č 14 š 10 ž 7 ć .2 đ .1"),
        "Estonian": _often("ä 12 õ 11 ö 3 ü 8 š .3 ž .2"),
        "Latvian": _often("ā 40 č 2 ē 17 ģ 2 ī 18 ķ 2 ļ 4 ņ 6 š 9 ū 5 ž 3 ŗ .05 ō .05"),
        "Lithuanian": _often("ą 6 č 5 ę 2 ė 16 į 6 š 12 ų 13 ū 6 ž 8"),
        "Turkish": _often("ç 11 ğ 11 ı 48 ö 9 ş 18 ü 19 i̇ 1 â .5 î .1 û .1"),
    }
)
OTHERS: Mapping[str, Mapping[str, float]] = MappingProxyType(
    {
        "Russian": _alike("оеаинтсрвлкмдпуяыьгзбчйхжшюцщэфъё"),
        "Ukrainian": _alike("оанивіетрслкудмпязьбгйчхцжюшєїщфґ"),
        "Bulgarian": _alike("аоеинтрсвлдкпмзгуъбчящйжхцшфюь"),
        "Greek": _alike("αοιετσνηυρπκμλςωδγχθάόέίήβύφξώζψϊϋΐΰ"),
        "Hebrew": _alike("ויהלאתרבמשנקדכחעפטםגצזסךןףץ"),
        "Arabic": _alike("ايلمنوترهبدسعفحكقشجصطأةخضإذثزءغئظىؤآ"),
    }
)
