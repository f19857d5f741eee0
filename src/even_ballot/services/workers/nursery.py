"""What helper processes have ready: imported once, by the process that they are forked from, whose memory
they share. It works on nothing itself and has no threads of its own."""

import gc

from even_ballot.core.numerics.compiled import prepare
from even_ballot.services.workers.helper import task

for _name in ("read", "draft", "decisions", "paths", "influence"):
    task(_name)
prepare()
gc.collect()
# What is here stays: to look through it again would have each helper copy it.
gc.freeze()
