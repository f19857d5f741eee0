"""Even Ballot: from questionnaire answers to weighted, released tables."""

import os

# One thread for products of matrices: the last digits of a figure do not hang on how many processors a
# machine has. What is worth sharing out is shared out here (core/numerics/parts.py). Said before NumPy loads.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
# Nobody adds to what models check: looking for who might takes a tenth of a second at every start.
os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")

__version__ = "0.1.0"
