"""Shares of short work: all of it is done once, errors are raised, and a forked process works again."""

import os

import pytest

from tarnwater.processors import in_shares


@pytest.mark.parametrize("shares", [1, 2, 3, 8])
def test_every_part_is_done_once(shares):
    done = [0] * 10

    def work(begin, end):
        for number in range(begin, end):
            done[number] += 1

    in_shares(work, 10, shares)
    assert done == [1] * 10


@pytest.mark.parametrize("failing", [0, 1])
def test_an_error_of_any_share_is_raised_when_all_have_ended(failing):
    ended = []

    def work(begin, end):
        if begin == 5 * failing:
            raise ValueError("no level")
        ended.append(begin)

    with pytest.raises(ValueError, match="no level"):
        in_shares(work, 10, 2)
    assert ended == [5 * (1 - failing)]


@pytest.mark.filterwarnings("ignore:This process:DeprecationWarning")
def test_a_forked_process_has_threads_of_its_own():
    in_shares(lambda begin, end: None, 4, 2)
    child = os.fork()
    if child == 0:
        done = []
        in_shares(lambda begin, end: done.append(end - begin), 4, 2)
        os._exit(0 if sum(done) == 4 else 1)
    assert os.waitpid(child, 0)[1] == 0
