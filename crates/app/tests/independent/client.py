"""A DoIP and UDS client that is none of ours asks the stand-in; prints what it was told, as JSON."""

import json
import sys
import urllib.request

import udsoncan
from doipclient import DoIPClient
from doipclient.connectors import DoIPClientUDSConnector
from udsoncan import DidCodec, configs, services
from udsoncan.client import Client
from udsoncan.exceptions import NegativeResponseException

BODY = 0x1010


class Text(DidCodec):
    def encode(self, value):
        return value.encode()

    def decode(self, payload):
        return payload.decode()

    def __len__(self):
        raise DidCodec.ReadAllRemainingData


def main(host, port, hands):
    key_on = urllib.request.Request(
        hands + "/state", json.dumps({"key": "15"}).encode(), {"content-type": "application/json"}
    )
    urllib.request.urlopen(key_on).read()
    doip = DoIPClient(
        host, BODY, tcp_port=port, udp_port=port, client_logical_address=0x0E00, activation_type=0
    )
    told = {}
    vehicle = doip.request_vehicle_identification()
    told["vehicle"] = [vehicle.vin, vehicle.logical_address]
    status = doip.request_entity_status()
    told["status"] = [status.node_type, status.max_concurrent_sockets]
    told["power"] = doip.request_diagnostic_power_mode().diagnostic_power_mode
    config = dict(configs.default_client_config)
    config["data_identifiers"] = {0xF190: Text, 0xF187: Text}

    def raw(client, service, data, subfunction=None):
        request = udsoncan.Request(service, subfunction=subfunction, data=bytes.fromhex(data))
        try:
            return [client.send_request(request).code, ""]
        except NegativeResponseException as e:
            return [e.response.code, e.response.code_name]

    connection = DoIPClientUDSConnector(doip)
    with Client(connection, request_timeout=3, config=config) as client:
        read = client.read_data_by_identifier([0xF190])
        told["vin"] = read.service_data.values[0xF190]
        session = client.change_session(3).service_data
        told["session"] = [session.p2_server_max, session.p2_star_server_max]
        told["present"] = client.tester_present().positive
        supported = client.get_supported_dtc().service_data
        told["codes"] = [len(supported.dtcs), supported.status_availability.get_byte_as_int()]
        stored = client.get_dtc_by_status_mask(0x08).service_data
        told["stored"] = [[d.id, d.status.get_byte_as_int()] for d in stored.dtcs]
        told["cleared"] = client.clear_dtc(0xFFFFFF).positive
        told["unknown"] = raw(client, services.ReadDataByIdentifier, "9999")
        control = services.InputOutputControlByIdentifier
        told["driven"] = raw(client, control, "30020301")
        told["given_back"] = raw(client, control, "300200")
        told["write"] = raw(client, services.WriteDataByIdentifier, "f19000")
        seed = client.request_seed(1).service_data.seed
        key = bytes((~b & 0xFF) ^ (BODY & 0xFF) for b in seed)
        told["unlocked"] = client.send_key(2, key).positive
        told["reset"] = client.ecu_reset(1).positive
    print(json.dumps(told))


main(sys.argv[1], int(sys.argv[2]), sys.argv[3])
