"""``python -m unitone``: the command line."""

from unitone.cli.main import main

main()
