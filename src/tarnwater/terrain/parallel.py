"""Numba's own thread pool takes one parallel loop at a time; whoever starts one holds this lock."""

import threading

one_at_a_time = threading.Lock()
