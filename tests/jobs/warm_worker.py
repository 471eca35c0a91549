"""What a server of forked workers reads beforehand: loops are loaded, on this thread alone, so that its children render at once."""

from idle_quarry.jobs.renders import worker as worker
from idle_quarry.picture import strips
from idle_quarry.picture.compiling import compiled

strips._inside.busy = True  # a pool's threads would be missing in its children
compiled()
strips._inside.busy = False
