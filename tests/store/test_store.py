"""The store: migrations match the models, an acknowledged save survives a crash, no copy is made twice."""

import json
import os
import signal
import threading
import time

import pymysql
import pytest
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import text, update
from sqlalchemy.exc import OperationalError

from rhombos.core.design.file import Design
from rhombos.core.parts import Wire
from rhombos.demo.designs import DEMO
from rhombos.demo.load import load_demo
from rhombos.launch.database import PrivateDatabase
from rhombos.store import designs, history, parts
from rhombos.store.database import (
    ANSWER,
    Crossed,
    Database,
    DatabaseAway,
    DatabaseFull,
    DatabaseRefuses,
    Unkept,
    meaning,
)
from rhombos.store.models import Base, DesignRow


@pytest.fixture
def private(tmp_path):
    """A server that a test may stop, and the database on it."""
    server = PrivateDatabase(tmp_path)
    try:
        server.start()
        database = Database(server.url)
        database.migrate()
        yield server, database
        database.close()
    finally:
        server.close()


def wait_until_back(database):
    deadline = time.monotonic() + 60
    while not database.ready():
        assert time.monotonic() < deadline
        time.sleep(0.02)


def test_migrations_make_the_tables_of_the_models(database):
    with database.engine.connect() as connection:
        context = MigrationContext.configure(connection, opts={"compare_type": True})
        differences = [d for d in compare_metadata(context, Base.metadata) if "alembic_version" not in str(d)]
    assert differences == []


def test_migrating_twice_changes_nothing(database):
    database.migrate()
    assert database.ready()


def test_demo_data_is_loaded_once(database):
    with database.session() as session:
        before = (len(designs.listed(session)), parts.count(session))
        load_demo(session)
    with database.session() as session:
        assert (len(designs.listed(session)), parts.count(session)) == before
        assert designs.get(session, next(iter(DEMO))).design.name == "Tarn refuge"


def test_a_demo_design_put_away_stays_away(database):
    identity = list(DEMO)[2]
    with database.session() as session:
        designs.put_away(session, identity)
    with database.session() as session:
        load_demo(session)
    with database.session() as session:
        assert designs.get(session, identity).deleted is not None
        designs.restore(session, identity)


def test_parts_come_back_as_they_went(database, shelf):
    with database.session() as session:
        assert parts.load_shelf(session).fingerprint == shelf.fingerprint


def test_a_part_of_ones_own_replaces_its_like(database):
    wire = Wire(id="MINE", strands=1, strand=0.5e-3, outer=0.6e-3)
    with database.session() as session:
        parts.put(session, [wire], "own")
        parts.put(session, [wire.model_copy(update={"outer": 0.7e-3})], "own")
    with database.session() as session:
        assert parts.load_shelf(session).get(Wire, "MINE").outer == 0.7e-3
        assert parts.origins(session, "wire")["MINE"] == "own"
        assert parts.remove(session, "wire", "MINE")
        assert not parts.remove(session, "wire", "W 0.5")


def test_a_part_of_ones_own_comes_before_the_house_part_of_its_designation(database, shelf):
    """Also after the house's parts are loaded again, as at every start; taken off, the house part is there again."""
    house = shelf.get(Wire, "W 0.5")
    with database.session() as session:
        parts.put(session, [house.model_copy(update={"outer": 0.91e-3})], "own")
    with database.session() as session:
        load_demo(session)
    with database.session() as session:
        assert parts.load_shelf(session).get(Wire, "W 0.5").outer == 0.91e-3
        assert parts.origins(session, "wire")["W 0.5"] == "own"
        assert parts.remove(session, "wire", "W 0.5")
    with database.session() as session:
        assert parts.load_shelf(session).get(Wire, "W 0.5") == house
        assert parts.origins(session, "wire")["W 0.5"] == "house"


@pytest.mark.parametrize(
    ("code", "meant"),
    [
        (2003, DatabaseAway),
        (2013, DatabaseAway),
        (1040, DatabaseAway),
        (1045, DatabaseRefuses),
        (1213, Crossed),
        (1205, Crossed),
        (1114, DatabaseFull),
        (1021, DatabaseFull),
        (1264, Unkept),
        (4025, Unkept),
    ],
)
def test_an_error_of_the_driver_is_told_for_what_it_is(code, meant):
    told = meaning(OperationalError("insert", {}, pymysql.err.OperationalError(code, "so it says")))
    assert type(told) is meant


def test_writers_in_one_anothers_way_try_again(database):
    """Two transactions that take two rows crosswise: the database ends one of them, which succeeds the next time."""
    with database.session() as session:
        first, second = (designs.create(session, Design(name=n)).id for n in ("one", "two"))
    both, tries = threading.Barrier(2, timeout=20), []

    def crosswise(order):
        def work(session):
            tries.append(order)
            session.execute(update(DesignRow).where(DesignRow.id == order[0]).values(head=1))
            if tries.count(order) == 1:
                both.wait()
            session.execute(update(DesignRow).where(DesignRow.id == order[1]).values(head=1))

        database.run(work)

    threads = [threading.Thread(target=crosswise, args=(order,)) for order in ((first, second), (second, first))]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(30)
    assert len(tries) == 3


def test_a_database_that_hangs_is_waited_for_once(private):
    """The first to ask waits for the time-out; all others are told at once, until it answers again."""
    server, database = private
    assert database.ready()
    os.kill(server.process.pid, signal.SIGSTOP)
    with pytest.raises(DatabaseAway):
        database.run(designs.listed)
    began = time.monotonic()
    for _ in range(20):
        with pytest.raises(DatabaseAway):
            database.run(designs.listed)
    assert time.monotonic() - began < ANSWER, "nobody waits a second time"
    os.kill(server.process.pid, signal.SIGCONT)
    wait_until_back(database)
    assert database.run(designs.listed) == []


def test_a_wrong_password_is_not_an_absence(database_server):
    wrong = Database(database_server.url.replace(":" + database_server.url.split(":")[2].split("@")[0], ":wrong"))
    with pytest.raises(DatabaseRefuses, match="password"), wrong.session() as session:
        designs.listed(session)
    wrong.close()


def test_a_save_whose_answer_was_lost_is_no_conflict_when_sent_again(database):
    with database.session() as session:
        stored = designs.create(session, Design(name="one"))
    for _ in range(2):
        assert database.run(lambda s: designs.save(s, stored.id, Design(name="two"), 1)).revision == 2
    with pytest.raises(designs.Conflict):
        database.run(lambda s: designs.save(s, stored.id, Design(name="three"), 1))


def test_saving_to_what_was_put_away_says_so_and_changes_nothing(database):
    with database.session() as session:
        stored = designs.create(session, Design(name="gone"))
        designs.put_away(session, stored.id)
    with pytest.raises(designs.PutAway, match="restore it"):
        database.run(lambda s: designs.save(s, stored.id, Design(name="more"), 1))
    assert database.run(lambda s: designs.get(s, stored.id)).revision == 1


def test_a_failed_save_leaves_nothing_behind(database):
    with database.session() as session:
        stored = designs.create(session, Design(name="whole"))
    with pytest.raises(ZeroDivisionError), database.session() as session:
        _ = designs.save(session, stored.id, Design(name="half"), 1).revision / 0
    with database.session() as session:
        assert designs.get(session, stored.id).design.name == "whole"
        assert len(history.lines(session, stored.id)) == 1


def test_unusual_letters_survive(database):
    with database.session() as session:
        stored = designs.create(session, Design(name="Ω-Ofen „Šumava“ 🜂"))
    with database.session() as session:
        assert designs.get(session, stored.id).design.name == "Ω-Ofen „Šumava“ 🜂"


def test_an_acknowledged_save_survives_a_killed_server(private):
    server, database = private
    with database.session() as session:
        stored = designs.create(session, Design(name="before"))
    with database.session() as session:
        designs.save(session, stored.id, Design(name="acknowledged"), 1)
    server.stop(hard=True)
    with pytest.raises(DatabaseAway), database.session() as session:
        designs.get(session, stored.id)
    assert not database.ready()
    server.start()
    wait_until_back(database)
    with database.session() as session:
        assert designs.get(session, stored.id).design.name == "acknowledged"


def test_the_database_listens_on_loopback_and_asks_for_its_secret(database_server):
    other = Database(database_server.url.replace(":" + database_server.url.split(":")[2].split("@")[0], ":wrong"))
    assert not other.ready()
    root = Database(f"mysql+pymysql://root@127.0.0.1:{database_server.port}/mysql")
    assert not root.ready()
    own = Database(database_server.url)
    with own.session() as session:
        address = session.execute(text("select @@bind_address")).scalar()
    assert address == "127.0.0.1"
    own.engine.dispose()


def test_pins_of_an_old_design_move_with_its_block(tmp_path):
    """A design saved while the stage was called otherwise is read with its pins where they now belong."""
    server = PrivateDatabase(tmp_path)
    try:
        server.start()
        old = Database(server.url)
        old.migrate("0001")
        content = {"brief": {}, "pins": {"push_pull.frequency": 46e3, "dc_link.voltage": 390.0}, "rules": "usual"}
        with old.engine.begin() as connection:
            connection.execute(text("insert into designs (id, head, created) values ('old', 1, now())"))
            connection.execute(
                text("insert into revisions (design_id, number, name, content, created) values ('old', 1, 'Old', :c, now())"),
                {"c": json.dumps(content)},
            )
        old.migrate()
        with old.session() as session:
            design = designs.get(session, "old").design
        assert design.pins == {"front_end.frequency": 46e3, "dc_link.voltage": 390.0}
        assert design.route == "push-pull link"
        old.engine.dispose()
    finally:
        server.close()


def test_a_server_that_starts_leaves_the_temporary_tables_of_another_alone(tmp_path, monkeypatch):
    shared = tmp_path / "shared"
    shared.mkdir()
    monkeypatch.setenv("TMPDIR", str(shared))
    others = shared / "#sql-temptable-1-2-3.MAI"
    others.write_text("at work")
    server = PrivateDatabase(tmp_path / "own")
    try:
        server.start()
        assert others.exists()
    finally:
        server.close()
