"""Words of four languages that twins are made with."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass


@dataclass(frozen=True)
class Words:
    """numbers: in words, from 2. greetings, fillers: sentences that say nothing of the matter.

    paragraph: long and of another matter. negations: a pattern, and the same denied.
    """

    numbers: tuple[str, ...]
    greetings: tuple[str, ...]
    before: tuple[str, ...]
    after: tuple[str, ...]
    paragraph: tuple[str, ...]
    negations: tuple[tuple[str, str], ...]


WORDS: Mapping[str, Words] = {
    "en": Words(
        ("two", "three", "four", "five", "six", "seven", "eight", "nine", "ten", "eleven", "twelve"),
        ("Hello,", "Good morning,", "Dear all,"),
        ("I hope you are well.", "Sorry to bother you.", "A short note from my side."),
        ("Thank you in advance.", "Have a good day.", "Sent while on my way."),
        (
            "By the way, the garden behind our house has come up early this year, and the pear tree is full of "
            "blossom. My neighbour says it is the mild winter; I think it is the new soil. We sat outside until "
            "the light went, and nobody wanted to go in.",
            "On another matter: we are reading a long novel aloud in the evenings, a chapter a day, and have "
            "got to the part where the two sisters move to the coast. It is slow and lovely. I can lend it to "
            "you when we are through.",
        ),
        (
            (r"\b(is|are|was|were|can|could|will|would|should|must)\b(?! not\b)", r"\1 not"),
            (r"\b(has|have|had)\b(?= \p{L}+(?:ed|en|een|ne|de|nt|ought)\b)", r"\1 not"),
        ),
    ),
    "de": Words(
        ("zwei", "drei", "vier", "fünf", "sechs", "sieben", "acht", "neun", "zehn", "elf", "zwölf"),
        ("Hallo,", "Guten Morgen,", "Sehr geehrte Damen und Herren,"),
        ("Ich hoffe, es geht Ihnen gut.", "Verzeihen Sie die Störung.", "Nur kurz von mir."),
        ("Vielen Dank im Voraus.", "Einen schönen Tag noch.", "Von unterwegs geschrieben."),
        (
            "Übrigens ist unser Garten dieses Jahr früh dran, der Birnbaum steht schon in voller Blüte. Der "
            "Nachbar meint, das liege am milden Winter; ich glaube, es ist die neue Erde. Wir saßen draußen, "
            "bis es dunkel wurde, und keiner wollte hinein.",
        ),
        ((r"\b(ist|sind|war|waren|kann|können|wird|werden|soll|muss|hat|haben)\b(?! nicht\b)", r"\1 nicht"),),
    ),
    "fr": Words(
        ("deux", "trois", "quatre", "cinq", "six", "sept", "huit", "neuf", "dix", "onze", "douze"),
        ("Bonjour,", "Bonsoir,", "Madame, Monsieur,"),
        ("J'espère que vous allez bien.", "Désolé de vous déranger.", "Un petit mot de ma part."),
        ("Merci d'avance.", "Bonne journée.", "Écrit en chemin."),
        (
            "Au fait, le jardin derrière la maison est en avance cette année et le poirier est tout en fleurs. "
            "Le voisin dit que c'est l'hiver doux ; je crois que c'est la nouvelle terre. Nous sommes restés "
            "dehors jusqu'à la nuit et personne ne voulait rentrer.",
        ),
        ((r"\b(?<!n['’])(est)\b(?! pas\b)", r"n'\1 pas"),
            (r"\b(?<!ne )(sont|peut|peuvent|doit|doivent|va|vont)\b(?! pas\b)", r"ne \1 pas"),),
    ),
    "es": Words(
        ("dos", "tres", "cuatro", "cinco", "seis", "siete", "ocho", "nueve", "diez", "once", "doce"),
        ("Hola,", "Buenos días,", "Estimados señores:"),
        ("Espero que estén bien.", "Perdonen la molestia.", "Una nota breve de mi parte."),
        ("Gracias de antemano.", "Que tengan un buen día.", "Enviado de camino."),
        (
            "Por cierto, el jardín de casa va adelantado este año y el peral está lleno de flores. El vecino "
            "dice que es el invierno suave; yo creo que es la tierra nueva. Nos quedamos fuera hasta que se "
            "fue la luz, y nadie quería entrar.",
        ),
        ((r"\b(?<!no )(es|son|está|están|puede|pueden|debe|deben|va|van)\b", r"no \1"),),
    ),
}  # fmt: skip

# Keys beside each other on a keyboard, row by row.
ROWS = ("qwertyuiop", "asdfghjkl", "zxcvbnm")
NEIGHBOURS: Mapping[str, str] = {
    key: "".join(row[max(0, i - 1) : i] + row[i + 1 : i + 2]) for row in ROWS for i, key in enumerate(row)
}  # fmt: skip
