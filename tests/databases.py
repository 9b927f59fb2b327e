"""Databases of their own for tests."""

from itertools import count

import psycopg
from psycopg import sql

from ashblend.launch.postgres import Server

_numbers = count()


def fresh_database(cluster: Server) -> str:
    """URL of a new database with the newest tables and nothing in them."""
    name = f"test_{next(_numbers)}"
    with psycopg.connect(
        cluster.url("postgres").replace("postgresql+psycopg", "postgresql"), autocommit=True
    ) as connection:
        connection.execute(sql.SQL("create database {} template template_ash").format(sql.Identifier(name)))
    return cluster.url(name)
