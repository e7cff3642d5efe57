"""Habits of real models, put on good replies: (name, what the habit makes of a JSON reply).

WORKED is what the reader was mended by; HELD was written at the same time and looked at only
once it was done. Each takes the value that was asked for and gives the text that is sent.
"""

import json


def plain(value):
    return json.dumps(value, ensure_ascii=False, indent=2)


def _map(value, change):
    if isinstance(value, dict):
        return {k: _map(v, change) for k, v in value.items()}
    if isinstance(value, list):
        return [_map(v, change) for v in value]
    return change(value)


def _keys(value, change):
    if isinstance(value, dict):
        return {change(k): _keys(v, change) for k, v in value.items()}
    if isinstance(value, list):
        return [_keys(v, change) for v in value]
    return value


def _list(value):
    return next(v for v in value.values() if isinstance(v, list))


def _commas(value):
    return (
        plain(value)
        .replace("}\n", "},\n")
        .replace('"\n', '",\n')
        .replace("]\n", "],\n")
        .rstrip(",")
    )


def _with_comments(value):
    lines = plain(value).split("\n")
    return "\n".join([lines[0], "  // as you asked", *lines[1:]])


def _python(value):
    return repr(value)


def _unescaped(value):
    return plain(
        _map(value, lambda v: f"{v}\nand more" if isinstance(v, str) and len(v) > 20 else v)
    ).replace("\\n", "\n")


WORKED = [
    ("preamble", lambda v: f"Sure! Here is what I came up with:\n\n{plain(v)}"),
    ("fence", lambda v: f"```json\n{plain(v)}\n```"),
    ("preamble, fence and closing words", lambda v: f"Here you go:\n\n```json\n{plain(v)}\n```\n\nLet me know if you want more of them!"),
    ("reasoning", lambda v: f"<think>\nThe user wants [a list]. I could use {{\"a\": 1}}.\n</think>\n\n{plain(v)}"),
    ("reasoning without opening mark", lambda v: f"First I look at the job. Then I write.\n</think>\n{plain(v)}"),
    ("trailing commas", _commas),
    ("comments", _with_comments),
    ("bare list", lambda v: plain(_list(v))),
    ("other wrapper", lambda v: plain({"result": _list(v)})),
    ("doubled wrapper", lambda v: plain({"response": v})),
    ("python quotes", _python),
    ("keys in capitals", lambda v: plain(_keys(v, lambda k: k.upper()))),
    ("keys in title case", lambda v: plain(_keys(v, lambda k: k.title()))),
    ("json lines", lambda v: "\n".join(json.dumps(r, ensure_ascii=False) for r in _list(v))),
    ("line breaks in texts", _unescaped),
    ("tilde fence without language", lambda v: f"~~~\n{plain(v)}\n~~~"),
]  # fmt: skip

HELD = [
    ("long preamble with a list", lambda v: f"I looked at three things:\n\n- the job\n- the inputs\n- the tone\n\nHere is my proposal.\n\n{plain(v)}"),
    ("closing remark", lambda v: f"{plain(v)}\n\nThese should cover what you described. Would you like me to go on?"),
    ("capital fence", lambda v: f"```JSON\n{plain(v)}\n```"),
    ("four backticks", lambda v: f"````json\n{plain(v)}\n````"),
    ("bracket reasoning", lambda v: f"[THINK]hm, {{maybe}} [this]?[/THINK]{plain(v)}"),
    ("reasoning and fence", lambda v: f"<thinking>Short is better.</thinking>\nFinal answer:\n```\n{plain(v)}\n```"),
    ("one line, trailing comma", lambda v: json.dumps(v, ensure_ascii=False)[:-2] + ",]}"),
    ("block comment", lambda v: plain(v).replace("{", "{ /* the list */", 1)),
    ("wrapped under data", lambda v: plain({"data": v, "status": "ok"})),
    ("list in a list", lambda v: plain([_list(v)])),
    ("wrapper in other case", lambda v: plain(_keys(v, lambda k: k.capitalize()))),
    ("spaced keys", lambda v: plain(_keys(v, lambda k: f" {k} "))),
    ("curly quotes", lambda v: plain(v).replace(': "', ": “").replace('",\n', "”,\n").replace('"\n', "”\n")),
    ("single object fences", lambda v: "\n\n".join(f"```json\n{plain(r)}\n```" for r in _list(v))),
    ("numbers as texts", lambda v: plain(_map(v, lambda x: str(x) if isinstance(x, int) and not isinstance(x, bool) else x))),
    ("numbered objects", lambda v: "\n".join(f"{n}. {json.dumps(r, ensure_ascii=False)}" for n, r in enumerate(_list(v), 1))),
]  # fmt: skip
