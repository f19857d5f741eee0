"""Pictures that the interface drew, checked and made into files."""
