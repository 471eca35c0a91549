"""Project templates for finishing, seen as signal paths."""

import os

# Pictures are cut into parts for as many threads as there are processors (`picture.strips`). Were each part's matrix
# products to start as many again, they would wait for one another; NumPy reads this once, when it is first imported.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

__version__ = "0.1.0"
