"""Background work: Celery tasks that call actions. Thin, safe to run twice."""
