"""Statements compiled once and run by the connection's own driver: for what every action does,
where going through SQLAlchemy again costs ten times what the database needs
(docs/benchmarks.md)."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import cache
from typing import Any

from sqlalchemy import (
    Connection,
    Dialect,
    Executable,
    FromClause,
    Insert,
    MetaData,
    Select,
    create_mock_engine,
    insert,
)
from sqlalchemy.exc import DBAPIError
from sqlalchemy.schema import ExecutableDDLElement
from sqlalchemy.sql.compiler import SQLCompiler
from sqlalchemy.types import TypeEngine

Values = dict[str, Any]
_Processor = Callable[[Any], Any]


class PreparedStatement:
    """A statement with marked values, each of them given whenever it runs. Lists of values
    ("in") are none."""

    def __init__(self, statement: Executable, columns: tuple[str, ...] | None = None) -> None:
        """columns: of an insertion, those that it sets."""
        self._statement, self._columns = statement, columns
        self._compiled: dict[str, _Compiled] = {}

    def first_row(self, connection: Connection, **values: Any) -> tuple[Any, ...] | None:
        """Return the first row that a query finds, None without one."""
        compiled = self._of(connection)
        row = compiled.run(connection, values).fetchone()
        return None if row is None else compiled.row(row)

    def each(self, connection: Connection, **values: Any) -> Iterator[tuple[Any, ...]]:
        """Yield the rows that a query finds, one by one."""
        compiled = self._of(connection)
        rows = compiled.run(connection, values)
        return map(compiled.row, rows) if compiled.has_processors else iter(rows)

    def all(self, connection: Connection, **values: Any) -> list[tuple[Any, ...]]:
        """Return all rows that a query finds."""
        return list(self.each(connection, **values))

    def value(self, connection: Connection, **values: Any) -> Any:
        """Return the first column of the first row, None without one."""
        row = self.first_row(connection, **values)
        return None if row is None else row[0]

    def run(self, connection: Connection, **values: Any) -> int:
        """Run a statement that changes rows; returns how many it met."""
        return int(self._of(connection).run(connection, values).rowcount)

    def _of(self, connection: Connection) -> _Compiled:
        name = connection.dialect.name
        if name not in self._compiled:
            self._compiled[name] = _Compiled(self._statement, connection.dialect, self._columns)
        return self._compiled[name]


class _Compiled:
    """A statement for one kind of database, with what turns values into its own and back."""

    def __init__(
        self, statement: Executable, dialect: Dialect, columns: tuple[str, ...] | None
    ) -> None:
        made = statement.compile(dialect=dialect, column_keys=columns)  # type: ignore[attr-defined]
        assert isinstance(made, SQLCompiler)
        self._text, self._order = str(made), made.positiontup
        self._fixed = {name: bind.value for name, bind in made.binds.items() if not bind.required}
        self._binding = _processors(
            {name: bind.type for name, bind in made.binds.items()}, dialect, is_result=False
        )
        read = statement.selected_columns if isinstance(statement, Select) else ()
        self._reading = _processors(
            {i: column.type for i, column in enumerate(read)}, dialect, is_result=True
        )

    @property
    def has_processors(self) -> bool:
        """Whether the driver's values are not yet those of Python."""
        return bool(self._reading)

    def run(self, connection: Connection, values: Values) -> Any:
        """Return the driver's cursor after it ran.

        Raises:
            DBAPIError: as SQLAlchemy has it.
        """
        if not connection.in_transaction():
            connection.begin()
        given = {**self._fixed, **values} if self._fixed else values
        for name, process in self._binding.items():
            given = {**given, name: process(given[name])}
        handed = given if self._order is None else tuple(given[name] for name in self._order)
        driver = connection.dialect.dbapi
        assert driver is not None
        cursor = connection.connection.cursor()
        try:
            cursor.execute(self._text, handed)
        except driver.Error as exc:
            raise DBAPIError.instance(self._text, None, exc, driver.Error) from exc
        return cursor

    def row(self, row: Any) -> tuple[Any, ...]:
        """Return a row's values as Python has them."""
        if not self._reading:
            return tuple(row)
        values = list(row)
        for i, process in self._reading.items():
            values[i] = process(values[i])
        return tuple(values)


def _processors(
    types: dict[Any, TypeEngine[Any]], dialect: Dialect, *, is_result: bool
) -> dict[Any, _Processor]:
    found: dict[Any, _Processor] = {}
    for key, kind in types.items():
        its = kind.dialect_impl(dialect)
        process = its.result_processor(dialect, None) if is_result else its.bind_processor(dialect)
        if process is not None:
            found[key] = process
    return found


def insertion(table: FromClause, names: tuple[str, ...]) -> PreparedStatement:
    """Return the insertion of a row of which these columns are set, without defaults of Python."""
    made: Insert = insert(table)  # type: ignore[arg-type]
    return PreparedStatement(made, names)


def make_all(connection: Connection, tables: MetaData) -> None:
    """Make all of these tables with their indexes; none of them is there yet."""
    for statement in _making(tables, connection.dialect.name):
        connection.exec_driver_sql(statement)


@cache
def _making(tables: MetaData, kind: str) -> tuple[str, ...]:
    made: list[ExecutableDDLElement] = []
    engine = create_mock_engine(f"{kind}://", lambda one, *_: made.append(one))
    tables.create_all(engine, checkfirst=False)
    return tuple(str(ddl.compile(dialect=engine.dialect)) for ddl in made)
