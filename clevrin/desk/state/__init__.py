"""What is open, chosen, set and kept safe: state without a widget."""
