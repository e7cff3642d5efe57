"""A worker process on the database of a running test (its tables are there already)."""

import django

if __name__ == "__main__":
    django.setup()
    from nomikon.server.process.worker import main

    main()
