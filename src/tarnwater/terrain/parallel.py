"""A lock for parallel loops: the thread pool of Numba runs one at a time."""

import threading

one_at_a_time = threading.Lock()
