"""Many rows at once, as plain SQL made from the models.

Measured on 4,000 outputs: making model objects and asking each field how it is
stored took half of the worker's time per output; this takes a fifth of that.
The worker's coordinator and changes of many cases come here; the rest goes through the ORM.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from django.db import connection, models
from django.db.models import Max


def insert_rows(model: type[models.Model], rows: Sequence[Mapping[str, Any]]) -> list[int]:
    """Insert rows given as {attribute name: value as it is stored}; returns their ids.

    Every row has the same names; what is not named must have a default in no
    need of it: name every column. Ids are given out here, which is safe because
    SQLite has one writer: call it inside a transaction.
    """
    if not rows:
        return []
    fields = {f.attname: f.column for f in model._meta.concrete_fields if not f.primary_key}
    if set(rows[0]) != set(fields):
        raise TypeError(f"{model.__name__}: {sorted(set(rows[0]) ^ set(fields))}")
    names = list(fields)
    first = (model._base_manager.aggregate(last=Max("pk"))["last"] or 0) + 1
    columns = ", ".join(connection.ops.quote_name(str(c)) for c in ["id", *fields.values()])
    table = connection.ops.quote_name(model._meta.db_table)
    holes = ", ".join(["%s"] * (len(names) + 1))
    with connection.cursor() as cursor:
        cursor.executemany(
            f"INSERT INTO {table} ({columns}) VALUES ({holes})",
            [(first + i, *(row[n] for n in names)) for i, row in enumerate(rows)],
        )
    return list(range(first, first + len(rows)))


def update_rows(
    model: type[models.Model],
    put: Sequence[str],
    where: Sequence[str],
    rows: Sequence[Sequence[Any]],
) -> None:
    """Change many rows, each found by values of its own.

    put, where: attribute names; each of rows holds the new values of `put`, then those of `where`.
    """
    fields = {f.attname: f.column for f in model._meta.concrete_fields}
    quoted = {name: connection.ops.quote_name(str(fields[name])) for name in (*put, *where)}
    told = ", ".join(f"{quoted[name]} = %s" for name in put)
    found = " AND ".join(f"{quoted[name]} = %s" for name in where)
    table = connection.ops.quote_name(model._meta.db_table)
    with connection.cursor() as cursor:
        cursor.executemany(f"UPDATE {table} SET {told} WHERE {found}", rows)


def copy_rows(
    model: type[models.Model], put: Sequence[str], rows: Sequence[tuple[int, Sequence[Any]]]
) -> list[int]:
    """Copies of rows, each given by its id, with other values of `put`; returns their ids.

    What is not put is never read: a long text is copied by the database itself.
    """
    if not rows:
        return []
    fields = {f.attname: f.column for f in model._meta.concrete_fields if not f.primary_key}
    kept = [c for name, c in fields.items() if name not in put]
    quoted = [connection.ops.quote_name(str(c)) for c in (*(fields[n] for n in put), *kept)]
    first = (model._base_manager.aggregate(last=Max("pk"))["last"] or 0) + 1
    table = connection.ops.quote_name(model._meta.db_table)
    holes = ", ".join(["%s"] * (len(put) + 1))
    taken = ", ".join([holes, *quoted[len(put) :]])
    with connection.cursor() as cursor:
        cursor.executemany(
            f"INSERT INTO {table} (id, {', '.join(quoted)}) SELECT {taken} FROM {table} "
            "WHERE id = %s",
            [(first + i, *values, former) for i, (former, values) in enumerate(rows)],
        )
    return list(range(first, first + len(rows)))


def stored_time(at: Any) -> Any:
    """A time as the database holds it."""
    return connection.ops.adapt_datetimefield_value(at)
