"""The stand-in meter through two instrument libraries of others: told as JSON."""

import json
import sys

import easy_scpi
import pyvisa

host, port = sys.argv[1:]
resource = f"TCPIP::{host}::{port}::SOCKET"
manager = pyvisa.ResourceManager("@py")
meter = manager.open_resource(resource, read_termination="\n", write_termination="\n", timeout=5000)
told = {"idn": meter.query("*IDN?"), "opc": meter.query("*RST;*CLS;*OPC?")}
told["volts"] = meter.query_ascii_values("MEASure:VOLTage:DC?")
meter.write("CONFigure:VOLTage:DC 20,0.001")
meter.write("SAMPle:COUNt 5")
meter.write("INITiate")
told["five"] = meter.query_ascii_values("FETCh?")
meter.write("NONSense 1")
told["errors"] = [meter.query("SYSTem:ERRor?"), meter.query("SYST:ERR?")]
told["ohms"] = meter.query_ascii_values("MEAS:RES?")
meter.close()

other = easy_scpi.Instrument(
    port=resource, port_match=False, backend="@py", prefix_cmds=True, read_termination="\n", write_termination="\n")
other.connect()
told["other_idn"] = other.id
told["other_volts"] = float(other.measure.voltage.dc())
other.configure.current.dc("AUTO")
told["other_function"] = other.sense.function()
other.disconnect()
print(json.dumps(told))
