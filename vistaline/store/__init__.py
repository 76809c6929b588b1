"""Rows in MariaDB and files by content hash.

- ``settings``   where the database, the queue and the files are
- ``models``     the tables
- ``database``   engine, sessions, migrations
- ``files``      the file store
"""
