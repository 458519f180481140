//! The stand-in on the wire, byte by byte as ISO 13400-2, ISO 14229-1 and IEEE 488.2 have it, without
//! the product's own client.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use serde_json::json;
use standin::{Past, Ports, Setup, Standin};
use std::time::Duration;
use tokio::io::{AsyncBufReadExt, AsyncReadExt, AsyncWriteExt, BufReader};
use tokio::net::{TcpStream, UdpSocket};
use tokio::time::timeout;

const TESTER: u16 = 0x0E00;
const GATEWAY: u16 = 0x1001;
const BODY: u16 = 0x1010;
const SOON: Duration = Duration::from_secs(5);
const NOTHING: Duration = Duration::from_millis(300);

fn hex(text: &str) -> Vec<u8> {
    let digits: String = text.chars().filter(|c| !c.is_whitespace()).collect();
    let byte = |k| u8::from_str_radix(&digits[k..k + 2], 16).unwrap();
    (0..digits.len()).step_by(2).map(byte).collect()
}

async fn standin(fault: Option<&str>) -> Standin {
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../vehicles/wren.json");
    let vehicle = vehicle::Vehicle::from_json(&std::fs::read_to_string(path).unwrap()).unwrap();
    let setup = Setup {
        vehicle,
        faults: fault.map(|id| id.parse().unwrap()).into_iter().collect(),
        seed: 7,
        vin: "0PMWR22K8NB004417".into(),
        odometer_km: 61_240,
        past: vec![Past {
            module: "A2".into(),
            code: "U3006".parse().unwrap(),
            failure_type: "16".parse().unwrap(),
            odometer_km: 58_110,
            volts: 8.9,
        }],
        flexes: false,
    };
    Standin::start(setup, Ports::default()).await.unwrap()
}

/// Sends one HTTP request to the hands interface and returns the whole answer.
async fn hands(s: &Standin, method: &str, path: &str, body: &serde_json::Value) -> String {
    let mut stream = TcpStream::connect(s.hands).await.unwrap();
    let body = body.to_string();
    let head = format!(
        "{method} {path} HTTP/1.1\r\nhost: x\r\nconnection: close\r\ncontent-type: application/json\r\ncontent-length: {}\r\n\r\n{body}",
        body.len()
    );
    stream.write_all(head.as_bytes()).await.unwrap();
    let mut answer = String::new();
    timeout(SOON, stream.read_to_string(&mut answer)).await.unwrap().unwrap();
    answer
}

async fn key(s: &Standin, position: &str) {
    let said = hands(s, "POST", "/state", &json!({"key": position})).await;
    assert!(said.starts_with("HTTP/1.1 200"), "{said}");
}

/// A connection that reads and writes DoIP frames as they are.
struct Wire(TcpStream);

impl Wire {
    async fn raw(s: &Standin) -> Self {
        Self(TcpStream::connect(s.doip).await.unwrap())
    }

    /// With routing activated, which is checked byte by byte.
    async fn open(s: &Standin) -> Self {
        let mut wire = Self::raw(s).await;
        wire.0.write_all(&hex("02FD 0005 00000007 0E00 00 00000000")).await.unwrap();
        // Tester, entity, code 10 (activated), four reserved bytes.
        assert_eq!(wire.read().await, (0x0006, hex("0E00 1001 10 00000000")));
        wire
    }

    async fn write(&mut self, kind: u16, payload: &[u8]) {
        let mut out = vec![0x02, 0xFD];
        out.extend(kind.to_be_bytes());
        out.extend(u32::try_from(payload.len()).unwrap().to_be_bytes());
        out.extend(payload);
        self.0.write_all(&out).await.unwrap();
    }

    async fn read(&mut self) -> (u16, Vec<u8>) {
        let read = async {
            let mut head = [0u8; 8];
            self.0.read_exact(&mut head).await.unwrap();
            assert_eq!(head[..2], [0x02, 0xFD]);
            let length = u32::from_be_bytes(head[4..].try_into().unwrap());
            let mut payload = vec![0; length as usize];
            self.0.read_exact(&mut payload).await.unwrap();
            (u16::from_be_bytes([head[2], head[3]]), payload)
        };
        timeout(SOON, read).await.expect("no answer")
    }

    /// A UDS request to a module and its answer, after the acknowledgement of the message.
    async fn ask(&mut self, module: u16, request: &str) -> Vec<u8> {
        self.send(module, request).await;
        let (kind, payload) = self.read().await;
        assert_eq!(kind, 0x8001, "{payload:02X?}");
        assert_eq!(payload[..4], [module.to_be_bytes(), TESTER.to_be_bytes()].concat());
        payload[4..].to_vec()
    }

    async fn send(&mut self, module: u16, request: &str) {
        let ends = [TESTER.to_be_bytes(), module.to_be_bytes()].concat();
        self.write(0x8001, &[ends, hex(request)].concat()).await;
        let back = [module.to_be_bytes(), TESTER.to_be_bytes()].concat();
        assert_eq!(self.read().await, (0x8002, [back, vec![0x00]].concat()));
    }
}

#[tokio::test]
async fn requests_are_answered_to_the_byte() {
    let s = standin(None).await;
    key(&s, "15").await;
    let mut wire = Wire::open(&s).await;
    for (request, answer) in [
        // Sessions: P2 is 01F4 (500 ms), P2* is 01F4 in tens of milliseconds (5 s).
        ("10 01", "50 01 01F4 01F4"),
        ("10 03", "50 03 01F4 01F4"),
        ("10 02", "7F 10 12"),
        ("10", "7F 10 13"),
        ("10 03 00", "7F 10 13"),
        ("3E 00", "7E 00"),
        ("3E 01", "7F 3E 12"),
        // Identification: the VIN, a part number of the file, an unknown identifier, half of one.
        ("22 F190", "62 F190 30504D5752 32324B384E42303034343137"),
        ("22 FFFF", "7F 22 31"),
        ("22 F1", "7F 22 13"),
        // Clearing all groups, one group, and a request that is too short.
        ("14 FFFFFF", "54"),
        ("14 000001", "7F 14 31"),
        ("14 FF", "7F 14 13"),
        // What is not there at all.
        ("85 01", "7F 85 11"),
        ("23 00", "7F 23 11"),
        // A routine that does not exist; its results before it ran; an unknown way to control it.
        ("31 01 7777", "7F 31 31"),
        ("31 03 0200", "7F 31 24"),
        ("31 09 0200", "7F 31 12"),
        ("31 01", "7F 31 13"),
        // A key that nobody asked a seed for; writing locked, unknown, and nothing.
        ("27 02 00000000", "7F 27 24"),
        ("27 05", "7F 27 12"),
        ("2E 0600 00000000", "7F 2E 33"),
        ("2E 1234 00", "7F 2E 31"),
        ("2E", "7F 2E 13"),
        // Outputs: unknown, a control that is not known, half a request.
        ("2F FFFF 03 01", "7F 2F 31"),
        ("2F FF", "7F 2F 13"),
        // Codes: unknown sub-function, a code that is not this module's, a mask that nothing has.
        ("19 42", "7F 19 12"),
        ("19 04 FFFFFF 01", "7F 19 31"),
        ("19 02", "7F 19 13"),
        ("19 02 00", "59 02 FF"),
    ] {
        assert_eq!(wire.ask(BODY, request).await, hex(answer), "{request}");
    }
    // Where the suppress bit is set nothing comes back but the acknowledgement.
    wire.send(BODY, "3E 80").await;
    assert!(timeout(NOTHING, wire.0.read_u8()).await.is_err());
    // In the default session nothing may be written at all.
    assert_eq!(wire.ask(BODY, "10 01").await, hex("50 01 01F4 01F4"));
    assert_eq!(wire.ask(BODY, "2E 0600 00000000").await, hex("7F 2E 7F"));
    assert_eq!(wire.ask(BODY, "27 01").await, hex("7F 27 7F"));
}

#[tokio::test]
async fn a_key_fits_its_seed_once() {
    let s = standin(None).await;
    key(&s, "15").await;
    let mut wire = Wire::open(&s).await;
    wire.ask(BODY, "10 03").await;
    let seed = wire.ask(BODY, "27 01").await;
    assert_eq!((seed.len(), &seed[..2]), (6, &hex("67 01")[..]));
    assert_ne!(seed[2..], [0; 4], "it is locked");
    assert_eq!(wire.ask(BODY, "27 02 00").await, hex("7F 27 35"));
    assert_eq!(wire.ask(BODY, "27 02 00").await, hex("7F 27 24"), "the seed is spent");
    let seed = wire.ask(BODY, "27 01").await;
    // The key is the seed's complement, each byte turned by the low byte of the address, 10.
    let key: String = seed[2..].iter().map(|b| format!("{:02X}", !b ^ 0x10)).collect();
    assert_eq!(wire.ask(BODY, &format!("27 02 {key}")).await, hex("67 02"));
    assert_eq!(wire.ask(BODY, "27 01").await, hex("67 01 00000000"), "it is open already");
    // A reset closes it again.
    assert_eq!(wire.ask(BODY, "11 01").await, hex("51 01"));
    tokio::time::sleep(Duration::from_millis(1500)).await;
    wire.ask(BODY, "10 03").await;
    assert_ne!(wire.ask(BODY, "27 01").await[2..], [0; 4]);
}

#[tokio::test]
async fn a_freeze_frame_is_laid_out_as_the_vehicle_file_says() {
    let s = standin(None).await;
    key(&s, "15").await;
    let mut wire = Wire::open(&s).await;
    // U3006-16 is F0 06 16; record 01 with time (4 bytes), odometer (58110 km = 00E2FE), supply.
    let frame = wire.ask(BODY, "19 04 F00616 01").await;
    assert_eq!(frame[..5], hex("59 04 F00616"));
    assert_eq!(frame[5] & 0x29, 0x28, "stored, not failing now");
    assert_eq!(frame[6], 0x01);
    let data = &frame[8..];
    assert_eq!(data[..2], hex("DD00"));
    assert_eq!(data[6..11], hex("DD01 00E2FE"));
    // 8.9 V are 8900 mV = 22C4.
    assert_eq!(data[11..15], hex("DD02 22C4"));
    // Counters: failed once, and some cycles ago.
    let counters = wire.ask(BODY, "19 06 F00616 FF").await;
    assert_eq!(counters[..5], hex("59 06 F00616"));
    assert_eq!((counters[6], counters[8], counters[10]), (1, 2, 3));
    assert_eq!(wire.ask(BODY, "19 06 F00616 01").await.len(), 8);
    assert_eq!(wire.ask(BODY, "19 06 F00616 77").await, hex("7F 19 31"));
}

#[tokio::test]
async fn frames_that_are_no_frames_are_refused_in_the_protocols_words() {
    let s = standin(None).await;
    key(&s, "15").await;
    // A wrong inverse version: incorrect pattern, and the connection is closed.
    let mut wire = Wire::raw(&s).await;
    wire.0.write_all(&hex("02FE 0005 00000007 0E00 00 00000000")).await.unwrap();
    assert_eq!(wire.read().await, (0x0000, vec![0x00]));
    assert_eq!(timeout(SOON, wire.0.read(&mut [0; 8])).await.unwrap().unwrap(), 0);
    // More than it takes.
    let mut wire = Wire::raw(&s).await;
    wire.0.write_all(&hex("02FD 8001 00100000")).await.unwrap();
    assert_eq!(wire.read().await, (0x0000, vec![0x02]));
    // An unknown payload type, and one that is too short: the connection stays.
    let mut wire = Wire::raw(&s).await;
    wire.write(0x4242, &[]).await;
    assert_eq!(wire.read().await, (0x0000, vec![0x01]));
    wire.write(0x0005, &[0x0E]).await;
    assert_eq!(wire.read().await, (0x0000, vec![0x04]));
    // A message before routing was activated: invalid source address.
    wire.write(0x8001, &hex("0E00 1010 3E00")).await;
    assert_eq!(wire.read().await, (0x8003, hex("1010 0E00 02")));
    // An alive check is answered with the entity's own address.
    wire.write(0x0007, &[]).await;
    assert_eq!(wire.read().await, (0x0008, GATEWAY.to_be_bytes().to_vec()));
    // A module that the vehicle has not.
    let mut wire = Wire::open(&s).await;
    wire.write(0x8001, &hex("0E00 4444 3E00")).await;
    assert_eq!(wire.read().await, (0x8003, hex("4444 0E00 03")));
}

#[tokio::test]
async fn datagrams_are_answered_to_the_byte() {
    let s = standin(None).await;
    let socket = UdpSocket::bind("127.0.0.1:0").await.unwrap();
    let ask = async |datagram: &str| {
        socket.send_to(&hex(datagram), s.doip).await.unwrap();
        let mut answer = [0u8; 64];
        match timeout(NOTHING, socket.recv(&mut answer)).await {
            Ok(n) => answer[..n.unwrap()].to_vec(),
            Err(_) => Vec::new(),
        }
    };
    let mut announcement = hex("02FD 0004 00000021");
    announcement.extend(b"0PMWR22K8NB004417");
    announcement.extend(hex("1001 020000001001 020000001001 00 00"));
    assert_eq!(ask("02FD 0001 00000000").await, announcement);
    // With the version of those who do not know it yet.
    assert_eq!(ask("FF00 0001 00000000").await, announcement);
    assert_eq!(ask("02FD 0002 00000006 020000001001").await, announcement);
    assert_eq!(ask("02FD 0002 00000006 020000001002").await, [0u8; 0], "another one is asked for");
    assert_eq!(ask("02FD 4001 00000000").await, hex("02FD 4002 00000007 00 04 00 00001000"));
    assert_eq!(ask("02FD 4003 00000000").await, hex("02FD 4004 00000001 00"), "key off");
    key(&s, "15").await;
    assert_eq!(ask("02FD 4003 00000000").await, hex("02FD 4004 00000001 01"), "key on");
    assert_eq!(ask("02FD 7777 00000000").await, hex("02FD 0000 00000001 01"));
    assert_eq!(ask("0202 0001 00000000").await, hex("02FD 0000 00000001 00"));
    assert_eq!(ask("02FD").await, [0u8; 0], "half a header");
}

#[tokio::test]
async fn the_meter_speaks_scpi_and_says_what_it_did_not_understand() {
    let s = standin(None).await;
    let stream = TcpStream::connect(s.scpi).await.unwrap();
    let (read, mut write) = stream.into_split();
    let mut lines = BufReader::new(read).lines();
    let leads = json!({"instrument": "volts", "red": "BAT.+", "black": "BAT.-"});
    assert!(hands(&s, "POST", "/leads", &leads).await.starts_with("HTTP/1.1 200"));
    let mut ask = async |command: &str| {
        write.write_all(format!("{command}\n").as_bytes()).await.unwrap();
        timeout(SOON, lines.next_line()).await.expect("no answer").unwrap().unwrap()
    };
    assert!(ask("*IDN?").await.contains("STAND-IN METER"));
    let volts: f64 = ask("MEAS:VOLT:DC?").await.parse().unwrap();
    assert!((12.0..13.2).contains(&volts), "{volts}");
    assert_eq!(ask("SYST:ERR?").await, "0,\"No error\"");
    // An unknown header is kept until it is asked for, once.
    assert_eq!(ask("FROB:NICATE\nSYST:ERR?").await, "-113,\"Undefined header\"");
    assert_eq!(ask("SYST:ERR?").await, "0,\"No error\"");
    let again: f64 = ask("conf:volt\nread?").await.parse().unwrap();
    assert!((12.0..13.2).contains(&again), "in small letters: {again}");
    // What is measured is written with a sign, five decimals and an exponent (NR3).
    let text = ask("READ?").await;
    assert!(text.starts_with("+1.") && text.contains("E+"), "{text}");
}

#[tokio::test]
async fn what_hands_cannot_do_is_said() {
    let s = standin(Some("part:E11:open")).await;
    let refused = hands(&s, "POST", "/state", &json!({"key": "15", "unplugged": ["NOPE"]})).await;
    assert!(refused.starts_with("HTTP/1.1 422") && refused.contains("NOPE"), "{refused}");
    let leads = json!({"instrument": "volts", "red": "NOPE.1", "black": "BAT.-"});
    let refused = hands(&s, "POST", "/leads", &leads).await;
    assert!(refused.starts_with("HTTP/1.1 422") && refused.contains("NOPE.1"), "{refused}");
    let nothing = hands(&s, "GET", "/look?part=NOPE", &json!({})).await;
    assert!(nothing.starts_with("HTTP/1.1 404"), "{nothing}");
    // A repair elsewhere mends nothing, one at the place does.
    let on = json!({"key": "15", "switches": {"S8": "low"}});
    hands(&s, "POST", "/state", &on).await;
    let broken = hands(&s, "GET", "/look?part=E11", &json!({})).await;
    assert!(broken.contains("none"), "{broken}");
    hands(&s, "POST", "/repair", &json!({"item": "part:E12"})).await;
    assert!(hands(&s, "GET", "/look?part=E11", &json!({})).await.contains("none"));
    hands(&s, "POST", "/repair", &json!({"item": "part:E11"})).await;
    assert!(hands(&s, "GET", "/look?part=E11", &json!({})).await.contains("normal"));
    let nonsense = hands(&s, "POST", "/repair", &json!({"item": "E12"})).await;
    assert!(nonsense.starts_with("HTTP/1.1 422"), "{nonsense}");
}

#[tokio::test]
async fn a_message_without_an_end_costs_no_memory_and_is_said() {
    let s = standin(None).await;
    let mut stream = TcpStream::connect(s.scpi).await.unwrap();
    stream.write_all(&vec![b'A'; 100_000]).await.unwrap();
    stream.write_all(b"\nSYST:ERR?;*IDN?\n").await.unwrap();
    let mut lines = BufReader::new(stream).lines();
    let told = timeout(SOON, lines.next_line()).await.unwrap().unwrap().unwrap();
    assert!(told.starts_with("-363,\"Input buffer overrun\";CHALKEUS"), "{told}");
    // Leads that nobody placed: open for the ohmmeter.
    let stream = TcpStream::connect(s.scpi).await.unwrap();
    let (read, mut write) = stream.into_split();
    write.write_all(b"MEASure:RESistance?\n").await.unwrap();
    let told = timeout(SOON, BufReader::new(read).lines().next_line()).await.unwrap();
    assert_eq!(told.unwrap().unwrap(), "+9.90000E+37");
}
