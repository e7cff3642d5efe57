"""`python -m nomikon_standin`."""

from nomikon_standin.command import main

main()
