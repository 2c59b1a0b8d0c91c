"""What is kept on disk: the logbook with its jobs, pictures and settings; backup, exchange, salvage."""
