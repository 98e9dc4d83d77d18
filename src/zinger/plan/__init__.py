"""The plan room: the files of a job in, a resolved and checked Plan out. Pure."""
