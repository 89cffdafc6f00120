"""How texts and sheets are laid out where they are read, and where they are written: values."""
