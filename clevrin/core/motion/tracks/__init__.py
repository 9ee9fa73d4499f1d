"""Points and surfaces that are followed from where somebody placed them, and their CSV files."""
