"""How refusals are worded, language by language: data for `refusals`, nothing else.

Every entry is a regular expression, matched without regard to letter case in a text whose
curly apostrophes were made straight. A language's words are only tried where the text is told
to be in it, or where nothing tells.
"""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Lexicon:
    """The words of one language.

    common: words that tell the language. sorry: an apology before anything is said. unable: the
    speaker says that it cannot, will not or may not. asked: what it is that it does not do (help,
    answer, this request), which makes a refusal of an inability. never: inabilities that are none.
    machine: it speaks of itself as a model, or of rules that bind it. reason: why, or what would
    do instead; no part of an answer. offer: another service is offered, or others are named
    to ask. pivot: it goes on to answer all the same.
    """

    common: str
    sorry: str
    unable: str
    asked: str
    never: str
    machine: str
    reason: str
    offer: str
    pivot: str


LEXICONS: dict[str, Lexicon] = {
    "en": Lexicon(
        common="the and of to is that for with this you it are not can i my",
        sorry=r"(?:i(?:'m| am) )?(?:very |so |really |truly |terribly )?(?:sorry|afraid)|"
        r"(?:my )?apologies|i (?:do )?apologi[sz]e|unfortunately|regrettably|i regret",
        unable=r"i(?:'m| am)? (?:really |simply |just |also )?(?:(?:can(?:not|'t| not)|won't|"
        r"will not|could not|couldn't|must not|may not|shouldn't|should not|don't|do not|"
        r"would rather not|'d rather not)(?: be able to| feel comfortable| think i (?:can|should)|"
        r" feel able to)?|"
        r"(?:'m |am )?(?:not (?:able|allowed|permitted|comfortable|going|in a position|willing|"
        r"equipped|designed|programmed|authori[sz]ed|at liberty)|unable|unwilling)"
        r"(?: to| with)?|(?:must|have to|need to|am going to have to|'ll have to|will have to) "
        r"(?:respectfully |politely )?(?:decline|refuse|pass)|decline|refuse|"
        r"(?:lack|have no) (?:the )?(?:ability|means|permission|way))|"
        r"(?:not|\w+n't) (?:an? \w+ |something |anything |one )(?:that |which )?i(?:'m| am| can\b| "
        r"could| may)(?: \w+){0,3}",
        asked=r"help|assist|comply|answer|do (?:that|this)|provide|fulfil|process|respond|continue|"
        r"(?:that|this|your|the|such) (?:request|question|task|prompt|topic|instruction)|"
        r"(?:generat|creat|writ|produc|shar|giv|offer|discuss|engag|support|complet|participat|"
        r"disclos|reveal|translat|summari[sz]|carry|tak|talk|assist|help|answer|provid|respond|"
        r"advis|decid|tell|mak|draft|compos|perform|execut|access|open|process|be of)\w*|with (?:that|this)\b|decline|refuse|pass on",
        never=r"i (?:can't|cannot|couldn't) (?:wait|help (?:but|noticing|thinking|feeling)|believe|"
        r"thank|imagine|stress|emphasi[sz]e|recommend|overstate|complain|say enough|promise|"
        r"agree more|remember|recall|see any|find any)|i (?:don't|do not) (?:think (?:that )?"
        r"(?:the|it|there|this is)|see|know why|mind|believe|have any)",
        machine=r"as an? (?:ai|artificial|language model|assistant|automated)|"
        r"(?:i'm|i am) (?:just |only )?an? (?:ai|language model|assistant|machine)|"
        r"my (?:guidelines|programming|policy|policies|safety|instructions|training|principles)|"
        r"(?:content|usage|safety) (?:policy|policies|guidelines)|"
        r"against (?:my|the) (?:guidelines|policy|rules)",
        reason=r"\b(?:because|since|as it|would (?:be|violate)|violat\w+|guidelines?|polic(?:y|ies)|"
        r"harm\w*|unsafe|illegal|unethical|inappropriate|danger\w*|safety|privacy|sensitive|"
        r"rules|permission|ethic\w*|not (?:allowed|permitted)|goes against|it falls outside|"
        r"outside (?:of )?(?:what|my)|beyond (?:what|my)|i (?:don't|do not) have (?:access|enough|"
        r"the (?:ability|information|means)))",
        offer=r"(?:is there|if (?:you|there)|let me know|feel free|happy to|glad to|please (?:try|"
        r"contact|consult|rephrase|reach|provide|ask|check|let|see|share|speak|talk|seek)|"
        r"i(?:'d| would) (?:recommend|suggest|encourage|advise|be)|i can (?:help|assist|offer) "
        r"(?:you )?with (?:other|something|another|anything)|instead|i hope you understand|"
        r"thank you for (?:your )?understanding|you (?:may|might|could|can|should) (?:want to )?"
        r"(?:try|contact|consult|ask|reach|check|seek|speak|talk))",
        pivot=r"(?:however|but|that said|still|nevertheless|nonetheless|instead|even so|what i can)"
        r"\b[^.!?\n]{0,80}(?:here|:|i can (?:tell|say|offer (?:you )?(?:a|this|some)|give|share|"
        r"describe|explain|outline))|here(?:'s| is| are)\b",
    ),
    "de": Lexicon(
        common="der die das und ist nicht ich zu mit für sie ein eine auf dem den es bei",
        sorry=r"es tut mir (?:sehr |wirklich )?leid|tut mir (?:sehr |wirklich )?leid|"
        r"entschuldig(?:ung|en sie|e)|leider|bedauerlicherweise|ich bedaure|ich bedauere|verzeihung",
        unable=r"(?:(?:ich )?(?:kann|darf|werde|möchte|könnte|will|vermag) (?:\w+ ){0,6}?(?:nicht|"
        r"keine?[nrms]?|weder)|kann ich\b[^.!?\n]{0,60}\b(?:nicht|keine?[nrms]?|weder)|"
        r"(?:darf|werde|möchte) ich\b[^.!?\n]{0,60}\b(?:nicht|keine?[nrms]?)|"
        r"(?:ich bin|bin ich) (?:leider )?nicht (?:in der lage|befugt|berechtigt|imstande|dafür)|"
        r"(?:es )?ist (?:es )?mir (?:leider )?nicht (?:möglich|erlaubt|gestattet)|"
        r"(?:ich )?muss (?:ich )?(?:\w+ ){0,4}?(?:ablehnen|verweigern|passen)|(?:ich )?lehne\b)",
        asked=r"helfen|behilflich|unterstütz\w*|weiterhelfen|beantwort\w*|antwort\w*|nachkommen|"
        r"erfüll\w*|anfrage|bitte|aufgabe|frage|wunsch|erstell\w*|schreib\w*|verfass\w*|"
        r"bereitstell\w*|liefer\w*|geben|gebe|dienen|ablehn\w*|lehne|verweiger\w*|ausführ\w*|"
        r"fortfahren|tun\b|machen|besprech\w*|auskunft|dazu|dabei|damit|bearbeit\w*|möglich|übersetz\w*",
        never=r"ich kann (?:es )?(?:kaum|nicht (?:oft|genug|erwarten|umhin|glauben|klagen|leugnen|"
        r"verhehlen))|ich möchte nicht (?:versäumen|vergessen)",
        machine=r"als (?:eine? )?(?:ki|künstliche|sprachmodell|ki-\w+|assistent|digitaler)|"
        r"(?:ich bin|bin ich) (?:nur )?(?:eine? )?(?:ki|sprachmodell|künstliche)|"
        r"mein(?:e|en|er) (?:richtlinien|vorgaben|regeln|programmierung|grundsätze)|"
        r"nutzungsrichtlinien|inhaltsrichtlinien",
        reason=r"\b(?:weil|denn|da (?:dies|das|es|ich|sie)|verstößt|verstoßen|richtlinie\w*|schad\w*|"
        r"schädlich\w*|gefähr\w*|illegal\w*|rechtswidrig\w*|unethisch\w*|unangemessen\w*|"
        r"vertraulich\w*|datenschutz|sicherheit\w*|regeln|außerhalb|vorgaben|nicht (?:erlaubt|"
        r"zulässig|gestattet)|keinen zugriff)",
        offer=r"(?:gerne? (?:helfe|kann|können|stehe|unterstütze|beantworte)|"
        r"(?:kann|helfe|stehe|unterstütze) ich (?:ihnen|dir|aber|jedoch)? ?(?:aber |jedoch )?gerne?|"
        r"falls|wenn (?:sie|du)|bitte (?:wenden|formulier\w*|kontaktier\w*|versuch\w*|geben|teilen|"
        r"frag\w*|sprechen|stell\w*)|wenden sie|wende dich|stattdessen|sonst noch|ich hoffe auf|"
        r"vielen dank für (?:ihr|dein)|ich (?:empfehle|rate|schlage)|danke für (?:ihr|dein))",
        pivot=r"(?:aber|jedoch|dennoch|trotzdem|allerdings|stattdessen|immerhin)\b[^.!?\n]{0,80}"
        r"(?:hier|:|kann ich (?:ihnen |dir )?(?:sagen|nennen|beschreiben|erklären|folgende))|"
        r"hier (?:ist|sind|kommt|finden|die|der|das|eine?)\b",
    ),
    "fr": Lexicon(
        common="le la les et est pas de des je vous que pour une un dans ce sur avec à ne",
        sorry=r"(?:je suis |je me vois )?(?:vraiment |sincèrement |profondément )?désolée?|"
        r"malheureusement|je regrette|(?:toutes )?mes excuses|je m'excuse|pardon|hélas|navrée?|"
        r"je vous prie de m'excuser",
        unable=r"(?:je ne (?:peux|puis|suis|saurais|pourrai|pourrais|vais|souhaite|veux|dois)"
        r"(?: malheureusement| donc| vraiment| tout simplement)?(?: pas| pouvoir| point)?|"
        r"je n'(?:ai pas (?:la possibilité|le droit|accès)|ai aucun|accepte pas)|"
        r"(?:il )?(?:ne )?m'est (?:pas possible|impossible|interdit)|il m'est (?:malheureusement )?"
        r"(?:impossible|interdit)|je (?:dois|me dois de|préfère) (?:\w+ )?(?:décliner|refuser)|"
        r"je (?:décline|refuse)|impossible (?:pour moi )?d[e'])",
        asked=r"aider|assister|répondre|réponse|fournir|donner|satisfaire|accéder|traiter|demande|"
        r"question|requête|tâche|écrire|rédiger|créer|générer|produire|continuer|accompagner|"
        r"décliner|refuser|décline|refuse|partager|communiquer|discuter|exécuter|cela|ça\b|"
        r"en mesure|traduire|résumer|donner suite|participer|conseil",
        never=r"je ne peux (?:que|m'empêcher|pas (?:attendre|m'empêcher|croire|vous remercier assez))|"
        r"je ne (?:saurais|peux) trop",
        machine=r"en tant qu(?:e |')(?:ia|intelligence|modèle|assistant|assistante)|"
        r"je (?:ne )?suis (?:qu')?(?:une? )?(?:ia|intelligence artificielle|modèle|assistant)|"
        r"mes (?:directives|règles|consignes|principes|instructions)|"
        r"(?:politique|règles) (?:d'utilisation|de contenu)",
        reason=r"\b(?:car|parce que|puisque|contraire|enfrein\w*|viol\w+|directives?|règles?|"
        r"politiques?|dangere\w*|illéga\w*|nuisible\w*|inapproprié\w*|contraires?|éthique\w*|"
        r"confidentialité|sécurité|privée?s?|autorisée?|sensible\w*|relève|dépasse)",
        offer=r"(?:n'hésitez pas|n'hésite pas|je (?:peux|serai|reste|serais)\b[^.!?\n]{0,40}"
        r"(?:autre|volontiers|ravie?|disposition|heureu\w+)|si vous|si tu|veuillez|"
        r"merci de (?:votre|ta|bien|reformuler|contacter|consulter)|je vous (?:invite|conseille|"
        r"recommande|suggère|encourage)|adressez|contactez|consultez|puis-je|y a-t-il|à la place|"
        r"merci pour votre compréhension)",
        pivot=r"(?:mais|cependant|toutefois|néanmoins|en revanche|pour autant)\b[^.!?\n]{0,80}"
        r"(?:voici|:|je peux (?:vous |te )?(?:dire|indiquer|décrire|expliquer|donner))|"
        r"\bvoici\b|\bvoilà\b",
    ),
    "es": Lexicon(
        common="el la los las y es no de que en un una por para con su se lo me al",
        sorry=r"lo siento(?: mucho)?|lo lamento|lamento|lamentablemente|desafortunadamente|"
        r"por desgracia|(?:mis |le pido |te pido )?disculpas?|perdón|perdona|perdone|"
        r"me temo(?: que)?|siento",
        unable=r"(?:(?:yo )?no (?:puedo|podré|podría|me es posible|estoy (?:en condiciones|"
        r"autorizad[oa]|capacitad[oa]|en posición|dispuest[oa]|programad[oa])|debo|quiero|voy a|"
        r"soy capaz|me está permitido|tengo (?:permitido|permiso|acceso|la capacidad|forma))|"
        r"(?:me es|me resulta|es) imposible|(?:debo|tengo que|prefiero|he de) (?:\w+ )?"
        r"(?:declinar|rechazar|negarme)|me niego|rechazo|declino)",
        asked=r"ayudar\w*|asistir\w*|responder\w*|contestar\w*|proporcionar\w*|cumplir\w*|dar\w*|"
        r"ofrecer\w*|atender\w*|procesar\w*|solicitud|pregunta|petición|tarea|escribir\w*|"
        r"redactar\w*|crear\w*|generar\w*|producir\w*|continuar|colaborar|compartir\w*|eso|esto|"
        r"declinar|rechazar|declino|rechazo|niego|realizar\w*|facilitar\w*|hablar|traducir\w*|"
        r"resumir\w*|participar|hacerlo|emitir\w*|opinar\w*|aconsejar\w*",
        never=r"no puedo (?:esperar|evitar|creer|dejar de|más que|agradecer|estar más de acuerdo|"
        r"quejarme)",
        machine=r"como (?:una? )?(?:ia|inteligencia|modelo|asistente)|"
        r"siendo (?:una? )?(?:ia|inteligencia|modelo|asistente)|"
        r"soy (?:solo |sólo )?(?:una? )?(?:ia|inteligencia artificial|modelo|asistente)|"
        r"mis (?:directrices|normas|políticas|pautas|principios|instrucciones)|"
        r"políticas? de (?:uso|contenido)",
        reason=r"\b(?:porque|ya que|pues|dado que|debido|viol\w+|infring\w+|directrices|normas|"
        r"políticas?|pautas|dañin\w+|peligros\w*|ilegal\w*|inapropiad\w*|perjudicial\w*|"
        r"ética\w*|privacidad|seguridad|confidencial\w*|permitido|sensible\w*|va en contra|"
        r"fuera de)",
        offer=r"(?:si (?:necesita|tiene|desea|quiere|hay|puedo|gusta)\w*|estaré|con gusto|"
        r"no dude\w*|te (?:recomiendo|sugiero|animo)|le (?:recomiendo|sugiero|animo)|por favor|"
        r"consult[ae]\w*|contact[ae]\w*|póngase|ponte|hay algo|en su lugar|puedo ayudar\w* (?:con|"
        r"en) (?:otr|algo)|gracias por (?:su|tu) comprensión|espero que (?:comprenda|entienda)\w*)",
        pivot=r"(?:pero|sin embargo|no obstante|aun así|en cambio|dicho esto)\b[^.!?\n]{0,80}"
        r"(?:aquí|:|puedo (?:decir|indicar|describir|explicar|dar|contar)\w*)|"
        r"aquí (?:tiene|está|van?|tienes|le|te)\b|a continuación",
    ),
}
