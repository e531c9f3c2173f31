"""For the tests of a rack: lanes that are opened, recorded, waited for and judged from a script.

with open_rack("curlew=/dev/ttyUSB0@9600", capture="start.pcapng") as rack:
    rack.wait_for("fix.level", one_of=["2D", "3D"], within=60)
"""

from pale_heron.rack.failure import RackFailure
from pale_heron.rack.rack import Rack, RackReply, open_rack

__all__ = ["Rack", "RackFailure", "RackReply", "open_rack"]
