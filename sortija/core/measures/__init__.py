"""From the ledger's lines and a window to one row a customer, described and prepared."""
