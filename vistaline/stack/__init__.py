"""Starting, watching and ending MariaDB, Redis, web and workers; loopback only."""
