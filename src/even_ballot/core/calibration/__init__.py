"""What needs sample and weighting both: residuals on margins, replicates weighted again, the weighted
sample."""
