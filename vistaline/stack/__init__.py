"""Starting and stopping what Vistaline needs: MariaDB, Redis, web, worker; loopback only."""
