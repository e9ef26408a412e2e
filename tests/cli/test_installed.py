"""The wheel in an environment that knows nothing of this folder: all that it needs is in it."""

import os
import subprocess
import sys
import sysconfig
import tempfile
import unittest
import venv
import zipfile
from pathlib import Path

ROOT = Path(__file__).resolve().parents[2]


def ran(*words, **more):
    done = subprocess.run([str(word) for word in words], capture_output=True, text=True, **more)
    if done.returncode:
        raise AssertionError(f"{words}: {done.stdout}{done.stderr}")
    return done.stdout


class Installed(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.folder = Path(cls.enterClassContext(tempfile.TemporaryDirectory()))
        pip = (sys.executable, "-m", "pip", "--disable-pip-version-check")
        ran(*pip, "wheel", "-q", "--no-deps", "--no-build-isolation", "-w", cls.folder, ROOT)
        (cls.wheel,) = cls.folder.glob("*.whl")
        place = cls.folder / "place"
        venv.create(place, with_pip=False)
        cls.python = place / "bin" / "python"
        ran(*pip, "--python", cls.python, "install", "-q", "--no-deps", "--no-index", cls.wheel)
        # The libraries are those of these tests; Sortija is not among them.
        where = "import sysconfig; print(sysconfig.get_path('purelib'))"
        packages = Path(ran(cls.python, "-c", where).strip())
        (packages / "libraries.pth").write_text(sysconfig.get_path("purelib"))
        cls.home = cls.folder / "home"
        cls.home.mkdir()

    def sortija(self, *words, **more):
        said = {"HOME": str(self.home), "PATH": os.environ["PATH"]}
        return ran(self.python.parent / "sortija", *words, cwd=self.folder, env=said, **more)

    def test_the_wheel_has_the_front_end_schemas_demo_and_who_may_use_it(self):
        with zipfile.ZipFile(self.wheel) as wheel:
            names = wheel.namelist()
            told = wheel.read(next(n for n in names if n.endswith(".dist-info/METADATA"))).decode()
        for wanted in (
            "sortija/front_end/.vite/manifest.json", "sortija/front_end/index.html",
            "sortija/core/formats/recipe.schema.json", "sortija/demo/small/log.csv",
            "sortija/server/templates/page.html",
        ):  # fmt: skip
            self.assertIn(wanted, names)
        self.assertTrue(any(n.endswith("licenses/LICENSE") for n in names))
        self.assertFalse([n for n in names if n.startswith(("tests", "web", "var"))])
        self.assertIn("License-Expression: LicenseRef-Proprietary", told)
        self.assertIn("# Sortija", told)

    def test_commands_run_from_it_and_keep_to_the_users_folders(self):
        self.assertRegex(self.sortija("--version"), r"^sortija \d+\.\d+\.\d+\n$")
        table = self.folder / "measures.csv"
        table.write_text("customer,visits\nA,1\nB,4\nC,9\n")
        scored = self.sortija("score", table, "--measure", "visits", "--bands", "3")
        self.assertIn("visits_band", scored.splitlines()[0])
        self.assertTrue((self.home / ".cache" / "sortija" / "kernels").is_dir())
        self.assertFalse((self.home / ".local").exists())
        self.assertIn("--port", self.sortija("serve", "--help"))

    def test_the_server_finds_its_page_in_it(self):
        words = (
            "from sortija.places import checked_out, data_folder, front_end; "
            "print(checked_out(), data_folder(), (front_end() / 'index.html').exists())"
        )
        told = ran(self.python, "-c", words, cwd=self.folder, env={"HOME": str(self.home)})
        self.assertEqual(told.split(), ["False", f"{self.home}/.local/share/sortija", "True"])


if __name__ == "__main__":
    unittest.main()
