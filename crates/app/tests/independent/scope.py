"""The stand-in scope through two instrument libraries of others: told as JSON."""

import json
import sys

import easy_scpi
import pyvisa

host, port = sys.argv[1:]
resource = f"TCPIP::{host}::{port}::SOCKET"
manager = pyvisa.ResourceManager("@py")
scope = manager.open_resource(resource, read_termination="\n", write_termination="\n", timeout=30000)
told = {"idn": scope.query("*IDN?"), "opc": scope.query("*RST;*CLS;*OPC?")}
scope.write(":SENSe:SWEep:TIME 0.002;:SENSe:SWEep:POINts 4000")
scope.write(":INITiate:IMMediate")
told["done"] = scope.query("*OPC?")
told["names"] = scope.query(":TRACe:CATalog?")
block = scope.query_binary_values(":TRACe:DATA? CH1", datatype="f", is_big_endian=True)
scope.write(":FORMat:DATA ASCii")
text = scope.query_ascii_values(":TRACe:DATA? CH1")
told["samples"] = [len(block), len(text)]
told["apart"] = max(abs(a - b) for a, b in zip(block, text))
told["range"] = [min(block), max(block)]
scope.write(":TRACe:DATA? CH9")
told["errors"] = [scope.query("SYSTem:ERRor?"), scope.query("SYST:ERR?")]
scope.close()

other = easy_scpi.Instrument(
    port=resource, port_match=False, backend="@py", prefix_cmds=True, read_termination="\n", write_termination="\n",
    timeout=30000)
other.connect()
told["other_idn"] = other.id
other.sense.sweep.time("0.001")
other.sense.sweep.points("2000")
told["other_time"] = float(other.sense.sweep.time())
other.initiate.immediate("")
other.format.data("ASCii")
told["other_samples"] = len(other.query(":TRACe:DATA? CH1").split(","))
other.disconnect()
print(json.dumps(told))
