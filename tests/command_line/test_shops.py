"""The shop's database on the command line: begun, joined without its password told anywhere, backed up and put back."""

from __future__ import annotations

import json
import os
import shutil
import stat
from unittest import mock

from ledgecliff.core.edits.shop import keep_machine
from ledgecliff.store.credentials import password_file, password_of
from ledgecliff.store.demo import demo_job
from ledgecliff.store.job_files import read_job, write_job
from ledgecliff.store.library import current_shop, keep_shop
from ledgecliff.store.register_place import joined, joined_file, own_file, register_place
from ledgecliff.store.shop_database import ShopDatabase
from tests.command_line.test_main import DEMO, CommandTest, run
from tests.store.servers import Server, server


class ShopsTest(CommandTest):
    def setUp(self):
        super().setUp()
        homes = {f"XDG_{kind}_HOME": str(self.folder / kind) for kind in ("CONFIG", "DATA", "CACHE")}
        away = mock.patch.dict(os.environ, homes)
        away.start()
        self.addCleanup(away.stop)

    def told(self, *words, status=0):
        found, out, error = run(*words, "--json")
        self.assertEqual(found, status, error)
        return json.loads(out)

    def refused(self, *words):
        status, out, error = run(*words)
        self.assertEqual(status, 2, words)
        self.assertNotIn("geheim", out + error)
        return error

    def filled(self):
        run("offsets", "set", "G54", "--job", DEMO, "--x=-412.5", "--y=-200", "--z=-380")
        run("offsets", "set", "G54", "--job", DEMO, "--label", "near the “door”; DROP TABLE changes")
        self.told("record", "add", "--note", "jaw chipped\nbadly", "--on", "left vise")

    def everything(self):
        told = self.told("record", "list")
        status, out, _ = run("offsets", "list", "--job", DEMO, "--json")
        self.assertEqual(status, 0)
        return told, json.loads(out), run("offsets", "list", "--job", DEMO, "--history", "G54", "--json")[1]

    def test_what_the_shop_has_changed_since_a_job_was_planned(self):
        job = self.folder / "job.json"
        shutil.copy(demo_job("float-housing").parent / "float_housing.step", self.folder)
        write_job(read_job(demo_job("float-housing")), job)
        self.assertEqual(self.told("shop", "changes", str(job))["changes"], [])
        machine = read_job(job).machines[0]
        shop = current_shop()
        keep_shop(shop, keep_machine(shop, machine))
        first = machine.fixtures[0].model_copy(update={"jaw_height": 41.5})
        later = machine.model_copy(update={"fixtures": (first, *machine.fixtures[1:]), "accuracy": 0.0123})
        shop = current_shop()
        keep_shop(shop, keep_machine(shop, later))
        told = self.told("shop", "changes", str(job), status=1)["changes"]
        self.assertEqual({each["kind"] for each in told}, {"fixture", "machine"})
        self.assertIn("jaw height was", next(each["what"] for each in told if each["kind"] == "fixture"))
        self.assertIn("SHOP_HAS_CHANGED", run("check", str(job), "--json")[1])
        self.assertIn("not among", self.refused("shop", "changes", str(job), "--take", "third vise"))
        self.told("shop", "changes", str(job), "--take", first.name, status=1)
        self.assertEqual(read_job(job).machines[0].fixtures[0].jaw_height, 41.5)
        self.assertNotEqual(read_job(job).machines[0].accuracy, 0.0123)
        self.told("shop", "changes", str(job), "--take", "all")
        self.assertEqual(read_job(job).machines[0], later)
        self.assertNotIn("SHOP_HAS_CHANGED", run("check", str(job), "--json")[1])
        rows = self.told("shop", "things", "--of", first.name)["things"]
        mine = [each for each in rows if each["revision"] == 2]
        self.assertIn("is 41.5", mine[0]["what"])
        self.assertTrue(mine[0]["by"])

    def test_begun_backed_up_and_put_back_elsewhere(self):
        self.assertEqual(self.told("shop", "init")["begun"], True)
        self.assertEqual(self.told("shop", "init")["begun"], False)
        self.filled()
        status = self.told("shop", "status")
        self.assertEqual((status["changes"], status["entries"], status["shared"], status["waiting"]), (2, 3, False, 0))
        before, backup = self.everything(), str(self.folder / "all.jsonl")
        counts = self.told("shop", "backup", backup)
        self.assertEqual((counts["changes"], counts["record_entries"]), (2, 3))
        self.assertIn("has something in it already", self.refused("shop", "restore", backup))
        own_file().rename(self.folder / "lost.db")
        for side in (f"{own_file()}-wal", f"{own_file()}-shm"):
            if os.path.exists(side):
                os.unlink(side)
        self.told("shop", "restore", backup)
        self.assertEqual(self.everything(), before)
        # Onto a server too, and what is written there goes on after it.
        self.told("shop", "join", server().fresh())
        self.told("shop", "restore", backup)
        self.assertEqual(self.everything(), before)
        self.filled()
        self.assertEqual(self.told("shop", "status")["entries"], 6)
        other = str(self.folder / "of the server.jsonl")
        self.told("shop", "backup", other)
        self.assertEqual(self.told("shop", "init")["left"].split("@")[0], "postgresql+psycopg://shop")
        self.assertEqual((register_place(), joined()), (own_file(), ""))
        self.assertEqual(self.everything(), before, "it is still there")

    def test_what_is_no_backup(self):
        self.told("shop", "init")
        for text, why in (
            ("", "is no backup"), ("{}", "does not say"),
            ('{"format": "ledgecliff-shop", "version": 99}', "version 99"),
            ('{"format": "ledgecliff-shop", "version": 3}\n{"machines": {"id": 1}}', "line 2: is no row"),
            ('{"format": "ledgecliff-shop", "version": 3}\n{"users": {}}', "line 2: is no row"),
        ):  # fmt: skip
            path = self.folder / "bad.jsonl"
            path.write_text(text, encoding="utf-8")
            self.assertIn(why, self.refused("shop", "restore", str(path)))
        self.assertEqual(self.told("shop", "status")["entries"], 0)

    def test_a_password_is_kept_where_only_the_user_reads_it(self):
        own = Server(password="geheim <&> §")
        self.addCleanup(own.throw_away)
        url = own.fresh().replace("postgresql+psycopg", "postgresql")
        self.assertIn("has a password in it", self.refused("shop", "join", url.replace("shop@", "shop:geheim@")))
        self.assertIn("is none", self.refused("shop", "join", "no url"))
        secret = self.folder / "secret"
        secret.write_text("geheim wrong\n", encoding="utf-8")
        secret.chmod(0o644)
        self.assertIn("can be read by others", self.refused("shop", "join", url, "--password-file", str(secret)))
        secret.chmod(0o600)
        self.assertIn("cannot be opened", self.refused("shop", "join", url, "--password-file", str(secret)))
        self.assertEqual((joined(), password_file().exists() and "wrong" in password_file().read_text()), ("", False))
        secret.write_text("geheim <&> §\n", encoding="utf-8")
        told = self.told("shop", "join", url, "--password-file", str(secret))
        self.assertNotIn("geheim", json.dumps(told) + joined_file().read_text(encoding="utf-8"))
        self.assertEqual(stat.S_IMODE(password_file().stat().st_mode), 0o600)
        database = ShopDatabase(register_place(), "shop")
        self.addCleanup(database.close)
        self.assertEqual(password_of(database.engine.url), "geheim <&> §")
        self.assertNotIn("geheim", repr(database.engine.url) + str(database.engine))
        self.filled()
        own.stop()
        away = self.told("shop", "status", status=1)
        self.assertNotIn("geheim", json.dumps(away))
        self.assertEqual((away["reached"], away["waiting"]), (False, 0))
        # Notes wait meanwhile, and are sent with the next one.
        status, _, error = run("record", "add", "--note", "while it was away", "--on", "left vise")
        self.assertEqual(status, 0)
        self.assertIn("1 entries wait", error)
        self.assertEqual(self.told("shop", "status", status=1)["waiting"], 1)
        own.start()
        self.told("record", "add", "--note", "it is back", "--on", "left vise")
        found = [each["what"] for each in self.told("record", "list", "--kind", "note")["entries"]]
        self.assertEqual(found[:2], ["it is back", "while it was away"])
        password_file().chmod(0o644)
        self.assertIn("can be read by others", self.refused("record", "list"))
