"""`python -m zinger.cli`."""

from zinger.cli.app import main

main()
