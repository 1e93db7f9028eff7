"""The command line: the engine on files, without server or database."""
