"""What a weighting asks for, laid on the cases."""
