"""The demo's own scenario, drawn by code: a lighthouse trust films its story."""
