"""Databases of their own for tests."""

from itertools import count

import psycopg
from psycopg import sql

from ashblend.launch.postgres import Server

_numbers = count()


def fresh_database(cluster: Server) -> str:
    """URL of a new database with the newest tables and nothing in them."""
    return _made(cluster, "template_ash")


def empty_database(cluster: Server) -> str:
    """URL of a new database without tables."""
    return _made(cluster, "template0")


def _made(cluster: Server, template: str) -> str:
    name = f"test_{next(_numbers)}"
    with psycopg.connect(
        cluster.url("postgres").replace("postgresql+psycopg", "postgresql"), autocommit=True
    ) as connection:
        statement = sql.SQL("create database {} template {}")
        connection.execute(statement.format(sql.Identifier(name), sql.Identifier(template)))
    return cluster.url(name)
