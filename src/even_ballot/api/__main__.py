"""python -m even_ballot.api: the server and its database.

A module of its own: processes that the server starts would load its main module again, were it called
anything else."""

from even_ballot.api.serve import main

if __name__ == "__main__":
    main()
