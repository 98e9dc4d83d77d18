"""Turns the checked shape of a family's file into its compiled card and book, a section of the file in a file here."""
