"""Answers kept by the identity of what they were made from."""

import threading

from tarnwater.network.memo import IdentityMemo


def test_equal_objects_that_are_not_the_same_have_no_answer():
    memo = IdentityMemo(most=5)
    one, other = [1], [1]
    memo.put((one,), "one")
    assert memo.get((one,)) == "one"
    assert memo.get((other,)) is None
    assert memo.get((one,), also="otherwise") is None


def test_what_was_used_least_lately_goes_first():
    memo = IdentityMemo(most=2)
    made_from = [object() for _ in range(3)]
    for number, part in enumerate(made_from):
        memo.put((part,), number)
        memo.get((made_from[0],))
    assert [memo.get((part,)) for part in made_from] == [0, None, 2]


def test_an_object_that_is_gone_lends_its_address_to_none():
    memo = IdentityMemo(most=1_000)
    for number in range(500):
        part = [number]
        assert memo.get((part,)) is None
        memo.put((part,), number)


def test_threads_may_share_it():
    memo, parts, wrong = IdentityMemo(most=8), [object() for _ in range(20)], []

    def work():
        for _ in range(2_000):
            for number, part in enumerate(parts):
                if memo.get((part,)) not in (None, number):
                    wrong.append(number)
                memo.put((part,), number)

    threads = [threading.Thread(target=work) for _ in range(3)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert wrong == []
