"""Write the pictures of the main views into a folder, from the demo data."""

import sys
import tempfile
from pathlib import Path

from inkshelf.ui import theme
from inkshelf.ui.desk import Desk
from inkshelf.ui.frame.settings import Settings
from inkshelf.ui.frame.window import Window
from inkshelf.ui.pictures import take_pictures
from inkshelf.ui.start import application

with tempfile.TemporaryDirectory() as scratch:
    app = application()
    theme.apply(app, "paper")
    window = Window(Desk(), Settings(), Path(scratch) / "settings.json")
    for path in take_pictures(window, Path(sys.argv[1]), Path(scratch) / "demo"):
        print(path)
