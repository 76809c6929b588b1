"""The web application: blueprints by bench, server-rendered pages, small ES modules."""
