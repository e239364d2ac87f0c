"""Where variants are measured: a cluster in this process, or a studio's scheduler by its address."""

from __future__ import annotations

import contextlib
import logging
import re
import time
import uuid
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

from tenka.base.errors import BadInput
from tenka.base.jobs import Progress
from tenka.board.carried import parcels
from tenka.board.working import HERE, Answer, Job, provide, work
from tenka.cache.store import FrameStore

ADDRESS = re.compile(r"((tcp|tls|ws|wss)://)?[A-Za-z0-9_.\-\[\]:]+:\d{1,5}")
POLL = 0.1  # s
CONNECT_SECONDS = 10
ALONE_SECONDS = 30.0  # without any worker, until that is told
RETRIES = 3  # of a variant whose worker was lost
MOST_SENT = 4  # times that something is sent to the same worker


def check_address(scheduler: str | None) -> None:
    """Refuse what is no scheduler's address; without one it is measured here.

    Raises
    ------
    BadInput
    """
    if scheduler is not None and not ADDRESS.fullmatch(scheduler):
        raise BadInput(f"'{scheduler[:60]}' is no address", "one such as tcp://host:8786", "--scheduler")


class Engine:
    """Measures variants by `dask.distributed`; a context, which lets go of all at its end.

    Parameters
    ----------
    scheduler : its address, such as tcp://host:8786; by default a cluster of one thread in this process
    """

    def __init__(self, store: FrameStore, progress: Progress, scheduler: str | None = None) -> None:
        self.store, self.progress, self.scheduler = store, progress, scheduler
        self.run = uuid.uuid4().hex
        self._client: Any = None
        self._cluster: Any = None
        self._sent: dict[str, dict[object, int]] = {}
        self._stopped = False
        self._names: set[str] = set()  # of the frames that workers may ask for

    def __enter__(self) -> Engine:
        from distributed import Client, LocalCluster

        for name in ("distributed", "asyncio"):  # a part that is slow to close is told by both
            logging.getLogger(name).setLevel(logging.CRITICAL)
        check_address(self.scheduler)
        try:
            if self.scheduler is None:
                HERE[self.run] = (self.store, lambda: self._stopped or self.progress.cancelled)
                self._cluster = LocalCluster(
                    n_workers=1,
                    threads_per_worker=1,
                    processes=False,
                    dashboard_address="127.0.0.1:0",  # nobody elsewhere is to see its pages
                    worker_dashboard_address="127.0.0.1:0",
                    silence_logs=logging.CRITICAL,
                )
                self._client = Client(self._cluster, set_as_default=False)
            else:
                self._client = Client(
                    self.scheduler, timeout=CONNECT_SECONDS, set_as_default=False, name="tenka"
                )
        except (OSError, ValueError, TimeoutError, RuntimeError) as error:
            self.__exit__()
            if self.scheduler is None:
                raise BadInput(f"Nothing can be measured on this machine ({error})") from error
            raise BadInput(
                f"no scheduler answers at '{self.scheduler}'", "an address such as tcp://host:8786"
            ) from error
        return self

    def __exit__(self, *_: object) -> None:
        HERE.pop(self.run, None)
        for part in (self._client, self._cluster):
            if part is not None:
                with contextlib.suppress(Exception):
                    part.close(timeout=5)

    def measure(self, jobs: Sequence[Job], named: Mapping[str, Path]) -> Iterator[tuple[int, Answer]]:
        """Answers as they come, with the number of the job; the first ones are begun first.

        Parameters
        ----------
        named : where the files are that the effect names

        Raises
        ------
        BadInput
            When the scheduler or all its workers are gone.
        Cancelled
        """
        told = [replace(job, run=self.run) for job in jobs]
        self._names = {name for job in jobs for name in (*job.names, job.against)}
        pending = {self._submit(job, n): (n, 0) for n, job in enumerate(told)}
        alone = time.monotonic()
        try:
            while pending:
                self.progress.check()
                done = [future for future in pending if future.done()]
                if done or self._workers():
                    alone = time.monotonic()
                elif time.monotonic() - alone > ALONE_SECONDS:
                    raise BadInput(f"{self.scheduler} has no worker any more", "workers that stay")
                for future in done:
                    n, times = pending.pop(future)
                    answer = self._answer(future, times)
                    if answer is None:  # what it found went with its worker
                        pending[self._submit(told[n], n)] = (n, times + 1)
                    elif answer.lacks:
                        self._provide(answer, named, times)
                        pending[self._submit(told[n], n, answer.worker)] = (n, times + 1)
                    else:
                        yield n, answer
                if not done:
                    time.sleep(POLL)
        finally:
            self._stop(list(pending))

    def _submit(self, job: Job, n: int, worker: str = "") -> Any:
        where = {"workers": [worker], "allow_other_workers": True} if worker else {}
        return self._client.submit(work, job, pure=False, priority=-n, **where)

    def _answer(self, future: Any, times: int) -> Answer | None:
        """What came of a job; None where that was lost, and it is to be done again."""
        try:
            found: Answer = future.result(timeout=CONNECT_SECONDS)
            return found
        except Exception as error:  # whatever a worker or the way to it may raise
            if times < RETRIES:
                return None
            return Answer(fault=f"It could not be measured: {type(error).__name__}: {error}")

    def _provide(self, answer: Answer, named: Mapping[str, Path], times: int) -> None:
        """Send to a worker what it lacks, and was not sent since a job asked for it `times` times."""
        if times > MOST_SENT:
            raise BadInput(f"the worker at {answer.worker} does not keep what it is sent", "room for it")
        sent = self._sent.setdefault(answer.worker, {})
        wanted = [one for one in answer.lacks if sent.get(one, 0) <= times]
        sent.update((one, times + 1) for one in wanted)
        for parcel in parcels(wanted, self._names, named, self.store):
            self.progress.check()
            future = self._client.submit(
                provide, parcel, pure=False, workers=[answer.worker], allow_other_workers=False
            )
            ends = time.monotonic() + ALONE_SECONDS
            while not future.done():
                self.progress.check()
                if time.monotonic() > ends:  # it is gone: another one asks
                    future.cancel()
                    return
                time.sleep(POLL)

    def _workers(self) -> int:
        if self.scheduler is None:
            return 1
        with contextlib.suppress(Exception):
            return len(self._client.scheduler_info(n_workers=-1)["workers"])
        return 0

    def _stop(self, left: list[Any]) -> None:
        """Let go of what is still under way."""
        self._stopped = True
        if not left or self._client is None:
            return
        with contextlib.suppress(Exception):
            if self.scheduler is not None:
                from distributed import Event

                Event(f"tenka-stop-{self.run}", client=self._client).set()
            self._client.cancel(left)
