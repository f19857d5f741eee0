"""python -m even_ballot.api: the server and its database."""

from even_ballot.api.serve import main

if __name__ == "__main__":
    main()
