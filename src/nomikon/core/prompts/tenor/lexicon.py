"""Words of four languages by which a prompt's limits, forms, labels and rules are told.

Pieces of regular expressions, matched without regard to case. A language that is not here leaves
the parts that need words empty.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

import regex

CHARACTERS, WORDS, SENTENCES, LINES, PARAGRAPHS, BULLETS, ITEMS = UNITS = (
    "characters", "words", "sentences", "lines", "paragraphs", "bullets", "items",
)  # fmt: skip


@dataclass(frozen=True)
class Lexicon:
    """What a language calls things. numbers: in words, by value; the rest are alternatives.

    less: bounds that the number itself breaks ("fewer than 5" is 4 at most). between: what stands
    between the two numbers of a range. each: "per". parts: things with a limit of their own,
    such as a title. reply: verbs that say what the answer shall be. sort_verbs: verbs that put something into a class. prose: what a text that flows is
    called; writing: verbs before it. explaining: verbs that ask for reasons. unless: words by which a fallback is meant to be no label of the list
    but one more. answer: of these, verbs that are followed by the answer itself. one_word: says that the answer is one. provided: "if", before what a label is for. shape:
    what the form of an answer is called. instead: words that name what is to stand in the place of what is forbidden.
    """

    units: Mapping[str, str]
    numbers: Mapping[int, str]
    at_most: str
    less: str
    at_least: str
    exactly: str
    after_most: str
    after_least: str
    between: str
    each: str
    whole: str
    of: str
    parts: str
    negation: str
    never_start: str
    must: str
    only: str
    reply: str
    labels: str
    one_of: str
    sort_as: str
    sort_verbs: str
    either_or: str
    keys: str
    columns: str
    table: str
    bullets: str
    numbered: str
    writing: str
    prose: str
    explaining: str
    unless: str
    answer: str
    one_word: str
    provided: str
    shape: str
    instead: str
    left_over: str
    role: str
    audience: str
    tone: str
    steps: str

    @cached_property
    def number(self) -> str:
        """Any number: digits, or in words."""
        return r"\d[\d.,’'\u00a0]*\d|\d+|" + "|".join(self.numbers.values())

    def value(self, said: str) -> int:
        """The number that was said."""
        plain = regex.sub(r"[^\d]", "", said)
        if plain:
            return int(plain[:9])
        for value, words in self.numbers.items():
            if regex.fullmatch(words, said, regex.IGNORECASE):
                return value
        raise ValueError(said)


EN = Lexicon(
    units={
        CHARACTERS: r"characters?|chars?",
        WORDS: r"words?",
        SENTENCES: r"sentences?",
        LINES: r"lines?",
        PARAGRAPHS: r"paragraphs?",
        BULLETS: r"bullet[ -]?points?|bullets?|bulleted items?",
        ITEMS: r"items?|points?|entries|examples|ideas|tips|reasons|options|benefits|questions|keywords?"
        r"|tags|suggestions|steps|titles|slogans|facts|names",
    },
    numbers={
        1: r"one|a single|an?(?= (?:single|one)[- ])",
        2: "two",
        3: "three",
        4: "four",
        5: "five",
        6: "six",
        7: "seven",
        8: "eight",
        9: "nine",
        10: "ten",
        12: "twelve",
        15: "fifteen",
        20: "twenty",
        30: "thirty",
        50: "fifty",
        100: "a hundred|one hundred",
    },
    at_most=r"at (?:the )?most|no more than|not more than|up to|(?:a |the )?max(?:imum)?\.?(?: of)?|within"
    r"|(?:not|n[’']t|never) exceed|not exceeding|limit(?:ed)?(?: \w+){0,2} to|capped at"
    r"|keep (?:it|this|them) to|no longer than|not longer than|not over|cap(?:ped)? (?:it |them )?at|≤|<=",
    less=r"under|below|fewer than|less than|shorter than|<",
    at_least=r"at least|no fewer than|not fewer than|no less than|not less than"
    r"|(?:a |the )?min(?:imum)?\.?(?: of)?|run to|≥|>=",
    exactly=r"exactly|precisely|just|in a",
    after_most=r"max(?:imum)?\b|at most|or (?:fewer|less|under)|tops|or shorter",
    after_least=r"min(?:imum)?\b|or more|or longer|at least",
    between=r"and|to|or|-|–|—",
    each=r"each|every|per",
    whole=r"altogether|in all|in total|overall|the whole|the entire|the full",
    of=r"of|with|containing|having",
    parts=r"title|headline|subject(?: line)?|heading|caption|greeting|intro(?:duction)?|slug",
    negation=r"not|no|never|without|n[’']t|avoid|nor",
    never_start=r"(?:please )?(?:do not|don[’']t|never|avoid|no\b|must not|refrain|under no|not )",
    must=r"must|always|make sure|ensure|be sure|have to|has to|should|shall|needs? to",
    only=r"only|nothing else|nothing but|solely|exclusively|strictly|just",
    reply=r"answer|reply|respond|write|output|return|use|say|put|give|label|choose|pick|select|mark|produce"
    r"|print|state",
    labels=r"labels?|categor(?:y|ies)|class(?:es)?|(?:valid|allowed|possible) (?:outputs?|answers?)|options?|values?|ratings?|tags|verdicts?|departments?"
    r"|topics?|sentiments?|types?|intents?|priorit(?:y|ies)",
    one_of=r"(?:exactly |strictly )?one of|either|among|the following|choose from|pick from",
    sort_as=r"(?:sort|group|classify|label|tag|mark|rate|judge|grade|categori[sz]e|decide|determine|tell|say|"
    r"assess|state|indicate|check|class)\b[^.:\n]{0,70}?\b(?:as|into|is|are|was)",
    sort_verbs=r"classify|decide|assign|choose|pick|determine|rate|tag|sort",
    either_or=r"or",
    keys=r"keys?|fields?|propert(?:y|ies)|attributes?|members?",
    columns=r"columns?|headers?",
    table=r"table",
    bullets=r"bullet(?:ed|s| points?| list)?|dashes",
    numbered=r"numbered list|numbered steps|ordered list",
    writing=r"write|writing|add|explain|compose|give|include|describe|provide|append|put|follow|draft|answer|present",
    prose=r"paragraphs?|essay|prose|flowing text|full sentences|explanation|commentary|cover letter|formal letter"
    r"|(?:closing|friendly|short|final) (?:line|sentence|remark|note|greeting)s?",
    explaining=r"explain|justify|give (?:a |your |the )?(?:reason|justification)s?(?: for)?|say why|state why|describe why",
    unless=r"none (?:of (?:them|these|those) )?(?:fits?|appl|match)|no (?:label|category|option) (?:fits?|appl)"
    r"|(?:fits?|match(?:es)?) none|nothing (?:fits|applies|matches)",
    answer=r"answer|reply|respond|say",
    one_word=r"(?:one|a single) (?:word|token)",
    provided=r"if|when|where|for",
    shape=r"format|form|shape|template|structure|schema|like this|as follows",
    instead=r"instead|rather",
    left_over=r"insert|your|add|fill in|fill|placeholder|here|name of|tbc|to be (?:confirmed|done)|check with",
    role=r"you are|you[’']re|act as|you act|as an? [\w -]{2,40},|your (?:role|job) is|imagine you",
    audience=r"audience|readers?|for (?:an? |the |our |my )?(?:\w+[- ]){0,2}(?:audience|readers?|people|children|"
    r"adults|customers|passengers|beginners|experts|managers|students|employees|guests|users?|year-olds)"
    r"|so that (?:some|any)(?:one|body)|reader|addressed to",
    tone=r"tone|friendly|formal|informal|polite(?:ly)?|plain|warm|neutral|professional|casual|calm|serious|"
    r"playful|matter-of-fact|sober|humorous|respectful",
    steps=r"step",
)

DE = Lexicon(
    units={
        CHARACTERS: r"Zeichen|Buchstaben",
        WORDS: r"Wörtern?|Worten?|Wort",
        SENTENCES: r"Sätzen?|Satz",
        LINES: r"Zeilen?",
        PARAGRAPHS: r"Absätzen?|Absatz|Abschnitten?",
        BULLETS: r"Stichpunkten?|Aufzählungspunkten?|Spiegelstrichen?|Bulletpoints?|Bullet[- ]Points?",
        ITEMS: r"Punkten?|Einträgen?|Beispielen?|Ideen|Tipps|Gründen?|Vorteilen?|Vorschlägen?|Fragen|"
        r"Schlagwörtern?|Schritten?|Titeln?|Optionen|Namen",
    },
    numbers={
        1: r"eine[mnrs]? einzige[mnrs]?|eine[mnrs]?|ein",
        2: "zwei",
        3: "drei",
        4: "vier",
        5: "fünf",
        6: "sechs",
        7: "sieben",
        8: "acht",
        9: "neun",
        10: "zehn",
        12: "zwölf",
        15: "fünfzehn",
        20: "zwanzig",
        30: "dreißig",
        50: "fünfzig",
        100: "hundert|einhundert",
    },
    at_most=r"höchstens|maximal|nicht mehr als|bis zu|nicht länger als|max\.|nicht über|≤|<="
    r"|auf(?: \w+)? (?:höchstens|maximal)|beschränk\w+(?: \w+){0,2} auf",
    less=r"weniger als|unter|kürzer als|<",
    at_least=r"mindestens|wenigstens|nicht weniger als|minimal|min\.|zumindest|≥|>=",
    exactly=r"genau|exakt|in",
    after_most=r"maximal|höchstens|oder weniger|begrenz\w*|beschränk\w*|nicht überschreiten|lang sein dürfen",
    after_least=r"oder mehr|mindestens|nicht unterschreiten",
    between=r"und|bis|oder|-|–|—",
    each=r"jede[mnrs]?|je|pro",
    whole=r"insgesamt|der gesamte|die gesamte|das gesamte|alles zusammen|zusammen",
    of=r"mit|von|zu|à",
    parts=r"Titel|Überschrift|Betreff(?:zeile)?|Schlagzeile|Anrede|Einleitung",
    negation=r"nicht|kein\w*|nie|niemals|ohne|weder",
    never_start=r"(?:bitte )?(?:keine?\w*\b|nicht\b|niemals\b|nie\b|vermeide\w*|verzichte\w*|\w+e? (?:nicht|nie|"
    r"niemals|kein\w*)\b)",
    must=r"muss|müssen|immer|stets|unbedingt|soll(?:en|st)?|achte darauf|stelle sicher",
    only=r"nur|ausschließlich|lediglich|nichts anderes|nichts weiter|sonst nichts",
    reply=r"antworte?\w*|schreib\w*|gib|gebt|geben|verwende\w*|nenne\w*|wähle\w*|nutze|sag\w*|setze",
    labels=r"Labels?|Kategorien?|Klassen?|Rubriken?|Werte?n?|Stufen?|Themen|Typen|Etiketten?|Abteilungen?",
    one_of=r"eine[mnrs]? (?:der|von|dieser)(?: folgenden)?|entweder|aus (?:den )?folgenden",
    sort_as=r"(?:ordne|teile|klassifiziere|bewerte|entscheide|bestimme|beurteile|markiere|prüfe)\b[^.:\n]{0,70}?"
    r"\b(?:als|in|nach|ob \w+ \w+|zu)",
    sort_verbs=r"ordne|klassifiziere|entscheide|wähle|bestimme|stufe|bewerte",
    either_or=r"oder",
    keys=r"Schlüsseln?|Feldern?|Felder|Eigenschaften|Attributen?",
    columns=r"Spalten?",
    table=r"Tabelle",
    bullets=r"Stichpunkten?|Aufzählung|Spiegelstriche?n?|Bulletpoints?",
    numbered=r"nummerierte\w* Liste|durchnummeriert\w*",
    writing=r"schreib\w*|erklär\w*|erläuter\w*|füge|verfass\w*|ergänz\w*|beschreib\w*|begründ\w*|geschrieben|formulier\w*",
    prose=r"Absatz|Absätzen?|Fließtext|fließende\w*|Prosa|Aufsatz|ganzen Sätzen|Erklärung|Erläuterung|Begründung danach|Schlusssatz|Gruß(?:formel)?|Abschlusssatz",
    explaining=r"erklär\w*|begründ\w*|erläuter\w*|gib (?:eine|die) Begründung",
    unless=r"keine (?:davon |der Kategorien )?(?:passt|zutrifft)|passt keine|nichts (?:davon )?passt|trifft keine",
    answer=r"antworte|sag|sage",
    one_word=r"(?:ein(?:em|es)?|einzige[ns]?|eine) (?:einzige[ns]? )?Wort",
    provided=r"wenn|falls|sofern|bei|für",
    shape=r"Format|Form|Struktur|Schema|Vorlage|Aufbau|zurück|so aus",
    instead=r"stattdessen|statt dessen|sondern|dafür",
    left_over=r"einfügen|ergänzen|eintragen|hier|ausfüllen|Platzhalter|noch (?:offen|klären)|ihr name|dein",
    role=r"du bist|sie sind|du hilfst|du arbeitest|du schreibst|handle als|agiere als|deine (?:Rolle|Aufgabe)|als \w+",
    audience=r"Zielgruppe|Leser\w*|für (?:\w+ ){0,2}(?:Kinder|Laien|Kund\w+|Gäste|Fachleute|Anfänger\w*|Mitarbeit\w+)",
    tone=r"Ton(?:fall)?|freundlich\w*|formell|sachlich\w*|höflich\w*|locker|neutral|warm|professionell",
    steps=r"Schritt",
)

FR = Lexicon(
    units={
        CHARACTERS: r"caractères?|signes?",
        WORDS: r"mots?",
        SENTENCES: r"phrases?",
        LINES: r"lignes?",
        PARAGRAPHS: r"paragraphes?|alinéas?",
        BULLETS: r"puces?|tirets?",
        ITEMS: r"points?|éléments?|exemples?|idées|conseils|raisons|avantages|propositions|questions|mots-clés|"
        r"étapes|titres|options|noms",
    },
    numbers={
        1: r"une? seule?|une?",
        2: "deux",
        3: "trois",
        4: "quatre",
        5: "cinq",
        6: "six",
        7: "sept",
        8: "huit",
        9: "neuf",
        10: "dix",
        12: "douze",
        15: "quinze",
        20: "vingt",
        30: "trente",
        50: "cinquante",
        100: "cent",
    },
    at_most=r"au (?:plus|maximum)|pas plus de|ne (?:doit |doivent )?(?:pas |jamais )?(?:pas )?dépasser?(?: pas)?"
    r"|jusqu[’']à|(?:un )?max(?:imum)?\.?(?: de)?|maximum de|limit\w+ à|dans la limite de|≤|<=",
    less=r"moins de|en dessous de|sous|<",
    at_least=r"au (?:moins|minimum)|pas moins de|(?:un )?min(?:imum)?\.?(?: de)?|≥|>=",
    exactly=r"exactement|précisément|en",
    after_most=r"au (?:plus|maximum)|max(?:imum)?\b|ou moins",
    after_least=r"au (?:moins|minimum)|min(?:imum)?\b|ou plus",
    between=r"et|à|ou|-|–|—",
    each=r"chaque|par|chacun\w*",
    whole=r"au total|en tout|l[’']ensemble|le tout",
    of=r"de|d[’']|avec|comptant|à",
    parts=r"titre|objet|accroche|intertitre|salutation|introduction",
    negation=r"ne|n[’']\w*|pas|jamais|aucune?|sans|ni|évite\w*",
    never_start=r"(?:ne |n[’']|pas de|jamais|évite\w*|aucun\w*|sans )",
    must=r"doit|doivent|toujours|dois|impérativement|veille\w* à|il faut|assure-toi",
    only=r"uniquement|seulement|rien d[’']autre|exclusivement|strictement|que l[’'ae]",
    reply=r"répond\w*|écri\w*|renvoie\w*|donne\w*|utilise\w*|indique\w*|choisi\w*|affiche\w*|retourne\w*|mets",
    labels=r"catégories?|étiquettes?|classes?|rubriques?|valeurs?|options|thèmes?|types?|services?",
    one_of=r"l[’']une? des?(?: \w+)?(?: suivant\w+)?|parmi|l[’']un de ces|une de ces|soit",
    sort_as=r"(?:classe|indique|détermine|dis|évalue|juge|décide|étiquette|range|précise)\w*\b[^.:\n]{0,70}?"
    r"\b(?:comme|en|dans|est|si [^.:\n]{1,40}? est)",
    sort_verbs=r"classe|décide|choisis\w*|détermine|attribue|évalue",
    either_or=r"ou",
    keys=r"clés?|champs?|propriétés?|attributs?",
    columns=r"colonnes?",
    table=r"tableau",
    bullets=r"puces?|tirets?",
    numbered=r"liste numérotée",
    writing=r"rédige\w*|ajoute\w*|explique\w*|écri\w*|compose\w*|décri\w*|justifie\w*|commente\w*|suivi",
    prose=r"paragraphes?|prose|texte suivi|commentaire|explication|phrases complètes|lettre formelle|phrase de conclusion|mot de la fin",
    explaining=r"expliqu\w*|justifi\w*|donne (?:une|la|les) (?:raison|justification)s?",
    unless=r"aucune? (?:\w+ )?(?:ne )?(?:convient|correspond|s[’']applique)",
    answer=r"réponds|répondez|dis|dites",
    one_word=r"un (?:seul )?mot",
    provided=r"si|lorsque?|quand|pour",
    shape=r"format|forme|structure|modèle|schéma|ainsi",
    instead=r"à la place|plutôt",
    left_over=r"à (?:compléter|remplir|définir|vérifier|faire)|insérer|votre|ici|nom de|remplacer",
    role=r"tu es|vous êtes|tu travailles|agis comme|en tant que|ton rôle|imagine que tu",
    audience=r"public|lecteurs?|lectrices?|pour (?:\w+ ){0,2}(?:enfants|clients|débutants|élèves|experts|salariés)|destiné",
    tone=r"ton\b|amical\w*|formel\w*|poli\w*|neutre|chaleureu\w+|professionnel\w*|sobre|courtois\w*",
    steps=r"étape",
)

ES = Lexicon(
    units={
        CHARACTERS: r"caracteres|carácter|letras",
        WORDS: r"palabras?",
        SENTENCES: r"frases?|oraciones|oración",
        LINES: r"líneas?|renglones|renglón",
        PARAGRAPHS: r"párrafos?",
        BULLETS: r"viñetas?|guiones",
        ITEMS: r"puntos?|elementos?|ejemplos?|ideas|consejos|razones|ventajas|propuestas|preguntas|pasos|"
        r"títulos|opciones|nombres|etiquetas",
    },
    numbers={
        1: r"una? (?:sol[ao]|únic[ao])|una?|uno",
        2: "dos",
        3: "tres",
        4: "cuatro",
        5: "cinco",
        6: "seis",
        7: "siete",
        8: "ocho",
        9: "nueve",
        10: "diez",
        12: "doce",
        15: "quince",
        20: "veinte",
        30: "treinta",
        50: "cincuenta",
        100: "cien",
    },
    at_most=r"como (?:mucho|máximo)|a lo sumo|no más de|(?:un )?máx(?:imo)?\.?(?: de)?|hasta"
    r"|(?:no|sin) (?:debe |deben |puede )?(?:exceder|superar|sobrepasar|pasar)(?: de)?|(?:que )?no (?:supere|exceda|pase)(?: de)?"
    r"|limit\w+ a|≤|<=",
    less=r"menos de|por debajo de|<",
    at_least=r"al menos|por lo menos|como mínimo|no menos de|(?:un )?mín(?:imo)?\.?(?: de)?|≥|>=",
    exactly=r"exactamente|justo|en",
    after_most=r"como (?:mucho|máximo)|máximo\b|o menos",
    after_least=r"como mínimo|mínimo\b|o más",
    between=r"y|a|o|-|–|—",
    each=r"cada|por",
    whole=r"en total|en conjunto|todo el|el texto completo",
    of=r"de|con",
    parts=r"título|asunto|titular|encabezado|saludo|introducción",
    negation=r"no|nunca|jamás|sin|ningún|ninguna|ni|evita\w*",
    never_start=r"(?:no |nunca|jamás|evita\w*|sin |ningun\w*)",
    must=r"debe|deben|siempre|tiene que|tienes que|asegúrate|es obligatorio|hay que",
    only=r"solo|sólo|solamente|únicamente|nada más|exclusivamente",
    reply=r"respond\w*|escrib\w*|devuelv\w*|usa|utiliza|contesta\w*|indica\w*|elige|pon\b|da\b|di\b|muestra",
    labels=r"categorías?|etiquetas?|clases?|valores?|opciones|temas?|tipos?|departamentos?",
    one_of=r"una? de (?:est[ao]s|l[ao]s)(?: siguientes)?|entre|uno de estos|o bien",
    sort_as=r"(?:clasifica|indica|determina|di|evalúa|decide|etiqueta|juzga|señala|asigna)\b[^.:\n]{0,70}?"
    r"\b(?:como|en|es|son)",
    sort_verbs=r"clasifica|decide|elige|determina|asigna|evalúa",
    either_or=r"o|u",
    keys=r"claves?|campos?|propiedades|atributos",
    columns=r"columnas?",
    table=r"tabla",
    bullets=r"viñetas?|guiones",
    numbered=r"lista numerada",
    writing=r"escrib\w*|redacta\w*|añad\w*|explica\w*|explique\w*|compon\w*|describ\w*|justifica\w*|incluye",
    prose=r"párrafos?|prosa|texto corrido|explicación|comentario|frases completas|carta formal|frase (?:final|de cierre)|despedida",
    explaining=r"explica\w*|justifica\w*|da (?:una|la|las) (?:razón|razones|justificación)",
    unless=r"ningun[ao] (?:\w+ )?(?:encaja|corresponde|sirve|se ajusta|aplica)",
    answer=r"responde|contesta|di",
    one_word=r"una (?:sola |única )?palabra",
    provided=r"si|cuando|para",
    shape=r"formato|forma|estructura|plantilla|esquema|así",
    instead=r"en su lugar|en cambio|sino|más bien",
    left_over=r"añadir|insertar|completar|aquí|rellenar|tu nombre|nombre de|pendiente|por definir",
    role=r"eres|usted es|actúa como|trabajas|tu (?:papel|rol|tarea)|imagina que eres",
    audience=r"público|lectores?|lectoras?|para (?:\w+ ){0,2}(?:niños|clientes|principiantes|alumnos|expertos|empleados)",
    tone=r"tono|amable\w*|amabilidad|formal|cortés|neutro|cálid\w+|profesional|cercan\w+|sobri\w+",
    steps=r"paso",
)

LEXICONS: dict[str, Lexicon] = {"en": EN, "de": DE, "fr": FR, "es": ES}
