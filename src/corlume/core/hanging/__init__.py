"""What is hung and where: the rules of spacing, layouts and their levels, the search, and the mounting."""
