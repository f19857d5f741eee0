"""What studies are carried in: bundles, codebooks, plans, targets, records, the ledger."""
