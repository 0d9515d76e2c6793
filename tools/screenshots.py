"""Write the pictures of the main views into a folder, from the demo data."""

import shutil
import sys
import tempfile
from pathlib import Path

from inkshelf.ui import theme
from inkshelf.ui.desk import Desk
from inkshelf.ui.frame.settings import Settings
from inkshelf.ui.frame.window import Window
from inkshelf.ui.pictures import take_pictures
from inkshelf.ui.start import application

scratch = Path(tempfile.gettempdir()) / "ink-shelf"  # its name is in the pictures: the same each time
shutil.rmtree(scratch, ignore_errors=True)
scratch.mkdir(mode=0o700)
try:
    app = application()
    theme.apply(app, "paper")
    window = Window(Desk(), Settings(), scratch / "settings.json")
    for path in take_pictures(window, Path(sys.argv[1]), scratch / "demo"):
        print(path)
finally:
    shutil.rmtree(scratch)
