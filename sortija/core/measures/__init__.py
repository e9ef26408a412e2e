"""From the ledger's lines and a window to one row per customer, described and prepared."""
