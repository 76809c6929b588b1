"""Vistaline without a browser: ``vistaline render``, ``separate``, ``check``, ..."""
