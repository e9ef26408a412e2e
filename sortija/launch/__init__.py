"""What ``./start`` and ``./test`` do once Python is there: cluster, server, workers, tests."""
