"""What people most often leave open in a prompt: the questions, and how a prompt says each answer.

Every quick answer has a clause of its own in each language that is read, so that it says what is meant
without the question beside it; a typed answer fills the last one.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

TYPED = ""


@dataclass(frozen=True)
class OpenPoint:
    """part: what of the tenor settles it. tasks: those for which it arises, none for all of them.

    clauses: by quick answer, and under TYPED for one that is typed, in English, German, French and
    Spanish; {answer} is what was typed.
    """

    key: str
    text: str
    why: str
    clauses: Mapping[str, tuple[str, str, str, str]]
    tasks: tuple[str, ...] = ()

    @property
    def answers(self) -> tuple[str, ...]:
        """The quick answers."""
        return tuple(a for a in self.clauses if a != TYPED)


LANGUAGES = ("en", "de", "fr", "es")
OPEN_POINTS = (
    OpenPoint("audience", "Who reads the answer?", "Nothing says for whom it is written.", {
        "people who know the subject": (
            "Write for readers who know the subject.", "Schreib für Leser, die sich auskennen.",
            "Écris pour des lecteurs qui connaissent le sujet.", "Escribe para lectores que conocen el tema."),
        "people who are new to the subject": (
            "Write for readers who are new to the subject.", "Schreib für Leser ohne Vorwissen.",
            "Écris pour des lecteurs qui découvrent le sujet.", "Escribe para lectores que no conocen el tema."),
        "colleagues who are in a hurry": (
            "Write for readers who are in a hurry: what matters comes first.",
            "Schreib für Leser, die es eilig haben: das Wichtige kommt zuerst.",
            "Écris pour des lecteurs pressés : l’essentiel vient d’abord.",
            "Escribe para lectores con prisa: lo importante va primero."),
        TYPED: ("Write for these readers: {answer}.", "Schreib für diese Leser: {answer}.",
                "Écris pour ces lecteurs : {answer}.", "Escribe para estos lectores: {answer}."),
    }, ("summarise", "rewrite", "write", "converse", "other")),
    OpenPoint("length", "How long may the answer be?", "Nothing limits its length.", {
        "one sentence": ("Use exactly 1 sentence.", "Verwende genau 1 Satz.", "Utilise exactement 1 phrase.",
                         "Usa exactamente 1 frase."),
        "at most 50 words": ("Use at most 50 words.", "Verwende höchstens 50 Wörter.", "Utilise au plus 50 mots.",
                             "Usa como máximo 50 palabras."),
        "at most 150 words": ("Use at most 150 words.", "Verwende höchstens 150 Wörter.",
                              "Utilise au plus 150 mots.", "Usa como máximo 150 palabras."),
        TYPED: ("Length of the answer: {answer}.", "Länge der Antwort: {answer}.",
                "Longueur de la réponse : {answer}.", "Longitud de la respuesta: {answer}."),
    }),
    OpenPoint("tone", "In what tone?", "Nothing says how it shall sound.", {
        "plain and factual": ("Keep the tone plain and factual.", "Der Ton ist schlicht und sachlich.",
                              "Garde un ton simple et factuel.", "Mantén un tono sencillo y objetivo."),
        "friendly": ("Keep the tone friendly.", "Der Ton ist freundlich.", "Garde un ton amical.",
                     "Mantén un tono amistoso."),
        "formal": ("Keep the tone formal.", "Der Ton ist formell.", "Garde un ton formel.",
                   "Mantén un tono formal."),
        "warm but brief": ("Keep the tone warm, and be brief.", "Der Ton ist warm, und du fasst dich kurz.",
                           "Garde un ton chaleureux et sois bref.", "Mantén un tono cálido y sé breve."),
        TYPED: ("Tone of the answer: {answer}.", "Ton der Antwort: {answer}.", "Ton de la réponse : {answer}.",
                "Tono de la respuesta: {answer}."),
    }, ("rewrite", "write", "converse")),
    OpenPoint("format", "In which form shall the answer come?", "Nothing names a form.", {
        "plain text": ("Answer in plain text, without headings or lists.",
                       "Antworte in einfachem Text, ohne Überschriften und Listen.",
                       "Réponds en texte simple, sans titres ni listes.",
                       "Responde en texto sencillo, sin títulos ni listas."),
        "a JSON object": ("Reply with one JSON object and nothing else.",
                          "Antworte mit einem JSON-Objekt und mit nichts anderem.",
                          "Réponds par un seul objet JSON et rien d’autre.",
                          "Responde con un solo objeto JSON y nada más."),
        "a list, one point a line": ("Answer in bullet points, one per line.", "Antworte in Stichpunkten, einer je Zeile.",
                                     "Réponds par une liste à puces, une par ligne.",
                                     "Responde con una lista de viñetas, una por línea."),
        "a table": ("Answer as a table.", "Antworte als Tabelle.", "Réponds sous forme de tableau.",
                    "Responde con una tabla."),
        TYPED: ("Form of the answer: {answer}.", "Form der Antwort: {answer}.", "Forme de la réponse : {answer}.",
                "Forma de la respuesta: {answer}."),
    }),
    OpenPoint("language", "In which language?", "Inputs may come in another language than is wanted.", {
        "the language of the input": ("Answer in the language of the input.", "Antworte in der Sprache der Eingabe.",
                                      "Réponds dans la langue de l’entrée.", "Responde en el idioma de la entrada."),
        "English": ("Answer in English.", "Antworte auf Englisch.", "Réponds en anglais.", "Responde en inglés."),
        "always the one of this prompt": (
            "Answer in English, whatever language the input is in.",
            "Antworte auf Deutsch, in welcher Sprache die Eingabe auch ist.",
            "Réponds en français, quelle que soit la langue de l’entrée.",
            "Responde en español, sea cual sea el idioma de la entrada."),
        TYPED: ("Language of the answer: {answer}.", "Sprache der Antwort: {answer}.",
                "Langue de la réponse : {answer}.", "Idioma de la respuesta: {answer}."),
    }, ("summarise", "rewrite", "write", "converse")),
    OpenPoint("unknown", "What if the input does not say what is wanted?",
              "Without a rule a model fills the gap by guessing.", {
        "say that it is not known": (
            "If the input does not say it, say that it is not known.",
            "Wenn die Eingabe es nicht sagt, sag, dass es nicht bekannt ist.",
            "Si l’entrée ne le dit pas, dis que ce n’est pas connu.",
            "Si la entrada no lo dice, di que no se sabe."),
        "leave it empty": ("If the input does not say it, leave it empty.",
                           "Wenn die Eingabe es nicht sagt, lass es leer.",
                           "Si l’entrée ne le dit pas, laisse-le vide.", "Si la entrada no lo dice, déjalo vacío."),
        "use null": ("If the input does not say it, use null.", "Wenn die Eingabe es nicht sagt, verwende null.",
                     "Si l’entrée ne le dit pas, mets null.", "Si la entrada no lo dice, usa null."),
        "ask back": ("If the input does not say it, ask for it.", "Wenn die Eingabe es nicht sagt, frag danach.",
                     "Si l’entrée ne le dit pas, demande-le.", "Si la entrada no lo dice, pregúntalo."),
        TYPED: ("If the input does not say it: {answer}.", "Wenn die Eingabe es nicht sagt: {answer}.",
                "Si l’entrée ne le dit pas : {answer}.", "Si la entrada no lo dice: {answer}."),
    }, ("extract", "classify", "summarise", "other")),
    OpenPoint("several", "What if more than one fits?", "An input may hold two matters at once.", {
        "the more urgent one": ("If more than one fits, give the more urgent one.",
                                "Wenn mehrere passen, gib das dringendere an.",
                                "Si plusieurs conviennent, donne le plus urgent.",
                                "Si varias encajan, da la más urgente."),
        "the one named first": ("If more than one fits, give the one that is named first.",
                                "Wenn mehrere passen, gib das zuerst genannte an.",
                                "Si plusieurs conviennent, donne le premier nommé.",
                                "Si varias encajan, da la que se nombra primero."),
        "the one it is mostly about": ("If more than one fits, give the one that it is mostly about.",
                                       "Wenn mehrere passen, gib das an, um das es vor allem geht.",
                                       "Si plusieurs conviennent, donne celui dont il est surtout question.",
                                       "Si varias encajan, da aquella de la que más se trata."),
        "all of them": ("If more than one fits, give all of them.", "Wenn mehrere passen, gib alle an.",
                        "Si plusieurs conviennent, donne-les tous.", "Si varias encajan, dalas todas."),
        TYPED: ("If more than one fits: {answer}.", "Wenn mehrere passen: {answer}.",
                "Si plusieurs conviennent : {answer}.", "Si varias encajan: {answer}."),
    }, ("classify", "extract")),
    OpenPoint("forbidden", "What must never be in the answer?", "Nothing is ruled out.", {
        "promises of money": ("Never promise money.", "Versprich niemals Geld.", "Ne promets jamais d’argent.",
                              "No prometas nunca dinero."),
        "names of people": ("Never name people.", "Nenne niemals Namen von Personen.",
                            "Ne nomme jamais de personnes.", "No nombres nunca a personas."),
        "guesses": ("Never guess.", "Rate niemals.", "Ne devine jamais.", "No adivines nunca."),
        "anything that is not in the input": (
            "Never add anything that is not in the input.", "Füge niemals etwas hinzu, das nicht in der Eingabe steht.",
            "N’ajoute jamais rien qui ne soit dans l’entrée.", "No añadas nunca nada que no esté en la entrada."),
        TYPED: ("Never put this in the answer: {answer}.", "Das steht niemals in der Antwort: {answer}.",
                "Ne mets jamais ceci dans la réponse : {answer}.", "No pongas nunca esto en la respuesta: {answer}."),
    }, ("rewrite", "write", "converse", "summarise", "other")),
    OpenPoint("off-topic", "What if the input is something else altogether?",
              "Sooner or later one comes that is none of this job's business.", {
        "say in one sentence that it is not your job": (
            "If the input is about something else, say in one sentence that it is not your job.",
            "Wenn es in der Eingabe um etwas anderes geht, sag in einem Satz, dass es nicht deine Aufgabe ist.",
            "Si l’entrée parle d’autre chose, dis en une phrase que ce n’est pas ton travail.",
            "Si la entrada trata de otra cosa, di en una frase que no es tu trabajo."),
        "give the label other": (
            "If the input is about something else, answer “other”.",
            "Wenn es in der Eingabe um etwas anderes geht, antworte „Sonstiges“.",
            "Si l’entrée parle d’autre chose, réponds « autre ».",
            "Si la entrada trata de otra cosa, responde “otro”."),
        "answer as well as you can": (
            "If the input is about something else, answer as well as you can.",
            "Wenn es in der Eingabe um etwas anderes geht, antworte, so gut du kannst.",
            "Si l’entrée parle d’autre chose, réponds de ton mieux.",
            "Si la entrada trata de otra cosa, responde lo mejor que puedas."),
        TYPED: ("If the input is about something else: {answer}.",
                "Wenn es in der Eingabe um etwas anderes geht: {answer}.",
                "Si l’entrée parle d’autre chose : {answer}.", "Si la entrada trata de otra cosa: {answer}."),
    }, ("classify", "converse", "write", "other")),
)  # fmt: skip
BY_KEY = {p.key: p for p in OPEN_POINTS}


def clause_for(key: str, answer: str, language: str) -> str:
    """How a prompt of a language says the answer to a question of these; "" for another question."""
    point = BY_KEY.get(key)
    if point is None:
        return ""
    place = LANGUAGES.index(language) if language in LANGUAGES else 0
    made = point.clauses.get(answer)
    return (
        made[place] if made else point.clauses[TYPED][place].replace("{answer}", answer.rstrip("."))
    )
