//! The client against a peer that speaks in bytes written down by hand from ISO 13400-2 and ISO 14229-1:
//! what it sends, to the byte, and what it makes of answers in time, late, in pieces, wrong or not at all.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use link::services::input_output_control::{self, Level};
use link::services::routine::{self, Control};
use link::services::{
    clear_codes, ecu_reset, read_codes, read_data, security_access, session, tester_present,
    write_data,
};
use link::{Gateway, LinkError, Timing};
use std::time::Duration;
use tokio::io::{AsyncReadExt, AsyncWriteExt};
use tokio::net::{TcpListener, TcpStream};

/// Routing activation of tester 0E00, default type, and the answer of entity 1000 that all is well (10).
const ACTIVATE: &str = "02FD 0005 00000007 0E00 00 00000000";
const ACTIVATED: &str = "02FD 0006 00000009 0E00 1000 10 00000000";
/// The module of these tests.
const WHO: u16 = 0x1010;

fn bytes(text: &str) -> Vec<u8> {
    let digits: Vec<u8> = text.bytes().filter(|b| !b.is_ascii_whitespace()).collect();
    let byte = |pair: &[u8]| u8::from_str_radix(std::str::from_utf8(pair).unwrap(), 16).unwrap();
    digits.chunks(2).map(byte).collect()
}

/// A diagnostic message with its header: from, to, data.
fn diagnostic(from: &str, to: &str, data: &str) -> Vec<u8> {
    let payload = bytes(&format!("{from}{to}{data}"));
    [bytes("02FD 8001"), (payload.len() as u32).to_be_bytes().to_vec(), payload].concat()
}

/// The other side of the cable.
struct Peer(TcpStream);

impl Peer {
    async fn hears(&mut self, wanted: &[u8]) {
        let mut got = vec![0; wanted.len()];
        self.0.read_exact(&mut got).await.unwrap();
        assert_eq!(got, wanted, "{got:02X?} for {wanted:02X?}");
    }

    async fn says(&mut self, said: &[u8]) {
        self.0.write_all(said).await.unwrap();
        self.0.flush().await.unwrap();
    }

    /// Hears a request to the module and answers it.
    async fn answers(&mut self, request: &str, answer: &str) {
        self.hears(&diagnostic("0E00", "1010", request)).await;
        // Acknowledged first (8002), as gateways do.
        self.says(&bytes(PASSED_ON)).await;
        self.says(&diagnostic("1010", "0E00", answer)).await;
    }
}

/// 8002: the gateway passes a request on.
const PASSED_ON: &str = "02FD 8002 00000005 1010 0E00 00";

fn quick() -> Timing {
    Timing {
        acknowledged: Duration::from_millis(300),
        p2: Duration::from_millis(150),
        p2_star: Duration::from_millis(600),
        longest: Duration::from_secs(2),
    }
}

/// A link, with what stands at its other end.
async fn linked() -> (Gateway, Peer) {
    let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
    let at = listener.local_addr().unwrap();
    let peer = tokio::spawn(async move {
        let mut peer = Peer(listener.accept().await.unwrap().0);
        peer.hears(&bytes(ACTIVATE)).await;
        peer.says(&bytes(ACTIVATED)).await;
        peer
    });
    let link = Gateway::connect_with(at, quick()).await.unwrap();
    assert_eq!(link.entity, 0x1000);
    (link, peer.await.unwrap())
}

/// What a service gives when its request is answered so.
async fn exchange<T, F>(request: &str, answer: &str, ask: impl FnOnce(Gateway) -> F) -> T
where
    F: Future<Output = T>,
{
    let (link, mut peer) = linked().await;
    let (out, ()) = tokio::join!(ask(link), peer.answers(request, answer));
    out
}

#[tokio::test]
async fn services_are_asked_and_answered_to_the_byte() {
    let vin = exchange("22F190", "62F190 414243", async |l| {
        read_data::by_identifier(&l, WHO, 0xF190).await
    });
    assert_eq!(vin.await.unwrap(), b"ABC");
    let written = exchange("2E0600 0102", "6E0600", async |l| {
        write_data::by_identifier(&l, WHO, 0x0600, &[1, 2]).await
    });
    written.await.unwrap();
    let driven = exchange("2F3001 03 01", "6F3001 03 01", async |l| {
        input_output_control::drive(&l, WHO, 0x3001, Level::On).await
    });
    driven.await.unwrap();
    let part = exchange("2F3001 03 28", "6F3001 03 28", async |l| {
        input_output_control::drive(&l, WHO, 0x3001, Level::Percent(40.0)).await
    });
    part.await.unwrap();
    let back = exchange("2F3001 00", "6F3001 00", async |l| {
        input_output_control::give_back(&l, WHO, 0x3001).await
    });
    back.await.unwrap();
    let results = exchange("3103 0203 AA", "7103 0203 10 22", async |l| {
        routine::control(&l, WHO, 0x0203, Control::Results, &[0xAA]).await
    });
    assert_eq!(results.await.unwrap(), [0x10, 0x22]);
    exchange("14FFFFFF", "54", async |l| clear_codes::all(&l, WHO).await).await.unwrap();
    exchange("1003", "5003 0032 01F4", async |l| session::extended(&l, WHO).await).await.unwrap();
    exchange("3E00", "7E00", async |l| tester_present::ask(&l, WHO).await).await.unwrap();
    let reset = exchange("1102", "5102", async |l| {
        ecu_reset::reset(&l, WHO, ecu_reset::Kind::KeyOffOn).await
    });
    reset.await.unwrap();
}

#[tokio::test]
async fn codes_come_with_status_counters_and_what_was_recorded() {
    // Two records of four bytes: B1A11-14 confirmed and failing, U3006-16 not.
    let codes = exchange("190A", "590A FF 9A1114 2F F00616 50", async |l| {
        read_codes::supported(&l, WHO).await
    });
    let codes = codes.await.unwrap();
    let told: Vec<_> = codes.iter().map(|c| (c.code, c.status)).collect();
    assert_eq!(told, [([0x9A, 0x11, 0x14], 0x2F), ([0xF0, 0x06, 0x16], 0x50)]);
    let counted = exchange("1906 9A1114 FF", "5906 9A1114 2F 01 03 02 07", async |l| {
        read_codes::extended(&l, WHO, [0x9A, 0x11, 0x14]).await
    });
    assert_eq!(counted.await.unwrap(), [(1, 3), (2, 7)]);
    // One identifier of two bytes, one of three, in the first snapshot.
    let answer = "5904 9A1114 2F 01 02 DD02 2EE0 DD01 00EF38";
    let lengths = |did: u16| Some(if did == 0xDD02 { 2 } else { 3 });
    let recorded = exchange("1904 9A1114 01", answer, async |l| {
        read_codes::snapshot(&l, WHO, [0x9A, 0x11, 0x14], lengths).await
    });
    let recorded = recorded.await.unwrap();
    assert_eq!(recorded, [(0xDD02, vec![0x2E, 0xE0]), (0xDD01, vec![0x00, 0xEF, 0x38])]);
}

#[tokio::test]
async fn answers_that_are_cut_or_of_something_else_are_no_answers() {
    for (request, answer) in [
        // Three bytes where records have four; another identifier; a counter without its value.
        ("190A", "590A FF 9A1114"),
        ("22F190", "62F191 41"),
        ("22F190", "62"),
    ] {
        let (link, mut peer) = linked().await;
        let ask = async {
            match request {
                "190A" => read_codes::supported(&link, WHO).await.map(|_| ()),
                _ => read_data::by_identifier(&link, WHO, 0xF190).await.map(|_| ()),
            }
        };
        let (out, ()) = tokio::join!(ask, peer.answers(request, answer));
        assert!(matches!(out, Err(LinkError::Garbled { .. })), "{request} {answer}: {out:?}");
    }
}

#[tokio::test]
async fn an_answer_may_come_in_pieces_and_two_at_once() {
    let (link, mut peer) = linked().await;
    let play = async {
        peer.hears(&diagnostic("0E00", "1010", "22F190")).await;
        let whole = diagnostic("1010", "0E00", "62F190 4142");
        for byte in &whole[..11] {
            peer.says(&[*byte]).await;
        }
        // The end of the answer and something that nobody asked for in one piece.
        let stray = diagnostic("2020", "0E00", "62F190 5A");
        peer.says(&[&whole[11..], &stray[..]].concat()).await;
    };
    let (out, ()) = tokio::join!(read_data::by_identifier(&link, WHO, 0xF190), play);
    assert_eq!(out.unwrap(), b"AB");
}

#[tokio::test]
async fn a_module_that_needs_longer_is_waited_for_and_a_busy_one_asked_again() {
    let (link, mut peer) = linked().await;
    let play = async {
        peer.hears(&diagnostic("0E00", "1010", "14FFFFFF")).await;
        // Pending (78), past P2, then done.
        peer.says(&diagnostic("1010", "0E00", "7F1478")).await;
        tokio::time::sleep(Duration::from_millis(300)).await;
        peer.says(&diagnostic("1010", "0E00", "54")).await;
        // Busy (21) twice.
        peer.answers("22F190", "7F2221").await;
        peer.answers("22F190", "7F2221").await;
        peer.answers("22F190", "62F190 41").await;
    };
    let ask = async {
        clear_codes::all(&link, WHO).await.unwrap();
        read_data::by_identifier(&link, WHO, 0xF190).await.unwrap()
    };
    let (out, ()) = tokio::join!(ask, play);
    assert_eq!(out, b"A");
}

#[tokio::test]
async fn a_gateway_may_take_longer_to_pass_a_request_on_than_a_module_to_answer() {
    let (link, mut peer) = linked().await;
    let play = async {
        peer.hears(&diagnostic("0E00", "1010", "22F190")).await;
        tokio::time::sleep(Duration::from_millis(200)).await;
        peer.says(&bytes(PASSED_ON)).await;
        tokio::time::sleep(Duration::from_millis(120)).await;
        peer.says(&diagnostic("1010", "0E00", "62F190 41")).await;
    };
    let (out, ()) = tokio::join!(read_data::by_identifier(&link, WHO, 0xF190), play);
    assert_eq!(out.unwrap(), b"A");
}

#[tokio::test]
async fn a_refusal_is_told_with_its_code_and_a_gateway_that_cannot_reach_with_its_reason() {
    let (link, mut peer) = linked().await;
    let play = async {
        peer.answers("22F190", "7F2231").await;
        peer.hears(&diagnostic("0E00", "1010", "22F190")).await;
        // 8003: target not reachable (06).
        peer.says(&bytes("02FD 8003 00000005 1010 0E00 06")).await;
    };
    let ask = async {
        let refused = read_data::by_identifier(&link, WHO, 0xF190).await.unwrap_err();
        assert!(matches!(refused, LinkError::Refused { code: 0x31, .. }), "{refused}");
        read_data::by_identifier(&link, WHO, 0xF190).await.unwrap_err()
    };
    let (out, ()) = tokio::join!(ask, play);
    assert!(matches!(out, LinkError::Unreachable { who: WHO, .. }), "{out}");
}

#[tokio::test]
async fn silence_ends_in_time_and_a_late_answer_is_not_taken_for_the_next() {
    let (link, mut peer) = linked().await;
    let play = async {
        peer.hears(&diagnostic("0E00", "1010", "22F190")).await;
        peer.says(&bytes(PASSED_ON)).await;
        tokio::time::sleep(Duration::from_millis(250)).await;
        peer.says(&diagnostic("1010", "0E00", "62F190 FF")).await;
        peer.answers("22F187", "62F187 31").await;
    };
    let ask = async {
        let late = read_data::by_identifier(&link, WHO, 0xF190).await.unwrap_err();
        assert!(matches!(late, LinkError::TimeOut { .. }), "{late}");
        tokio::time::sleep(Duration::from_millis(200)).await;
        read_data::by_identifier(&link, WHO, 0xF187).await.unwrap()
    };
    let (out, ()) = tokio::join!(ask, play);
    assert_eq!(out, b"1");
}

#[tokio::test]
async fn a_cable_pulled_out_is_lost_and_stays_lost() {
    let (link, mut peer) = linked().await;
    let play = async {
        peer.hears(&diagnostic("0E00", "1010", "22F190")).await;
        drop(peer);
    };
    let (out, ()) = tokio::join!(read_data::by_identifier(&link, WHO, 0xF190), play);
    assert!(matches!(out, Err(LinkError::Lost { .. })), "{out:?}");
    assert!(link.is_gone());
    let again = read_data::by_identifier(&link, WHO, 0xF190).await;
    assert!(matches!(again, Err(LinkError::Lost { .. })), "{again:?}");
}

#[tokio::test]
async fn noise_in_place_of_a_header_ends_the_link_with_words() {
    // A version whose inverse does not fit, and a length that no message has.
    for noise in ["02FC 8001 00000005 1010 0E00 7E", "02FD 8001 FFFFFFFF"] {
        let (link, mut peer) = linked().await;
        let play = async {
            peer.hears(&diagnostic("0E00", "1010", "3E00")).await;
            peer.says(&bytes(noise)).await;
        };
        let (out, ()) = tokio::join!(tester_present::ask(&link, WHO), play);
        assert!(matches!(out, Err(LinkError::Garbled { .. })), "{noise}: {out:?}");
    }
}

#[tokio::test]
async fn the_question_whether_one_is_alive_is_answered() {
    let (_link, mut peer) = linked().await;
    peer.says(&bytes("02FD 0007 00000000")).await;
    peer.hears(&bytes("02FD 0008 00000002 0E00")).await;
}

#[tokio::test]
async fn a_key_opens_what_its_seed_asks_for() {
    let (link, mut peer) = linked().await;
    let play = async {
        peer.answers("2703", "6703 1234").await;
        peer.answers("2704 2345", "6704").await;
        // A seed of noughts says that it is open already (ISO 14229-1 10.4).
        peer.answers("2703", "6703 0000").await;
    };
    let add = |seed: &[u8]| seed.iter().map(|b| b + 0x11).collect();
    let ask = async {
        security_access::unlock(&link, WHO, 3, add).await.unwrap();
        security_access::unlock(&link, WHO, 3, |_| panic!("no key is wanted")).await.unwrap();
    };
    tokio::join!(ask, play);
}

#[tokio::test]
async fn a_gateway_that_refuses_or_keeps_silent_gives_no_link() {
    for (answer, code) in [("02FD 0006 00000009 0E00 1000 06 00000000", 0x06), (ACTIVATED, 0x10)] {
        let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
        let at = listener.local_addr().unwrap();
        let play = async {
            let mut peer = Peer(listener.accept().await.unwrap().0);
            peer.hears(&bytes(ACTIVATE)).await;
            peer.says(&bytes(answer)).await;
            peer
        };
        let (out, _peer) = tokio::join!(Gateway::connect_with(at, quick()), play);
        match out {
            Ok(link) => assert_eq!((link.entity, code), (0x1000, 0x10)),
            Err(LinkError::NotActivated(told)) => assert_eq!(told, code),
            Err(other) => panic!("{other}"),
        }
    }
    let closed = TcpListener::bind("127.0.0.1:0").await.unwrap().local_addr().unwrap();
    let none = Gateway::connect_with(closed, quick()).await;
    assert!(matches!(none, Err(LinkError::NoConnection { .. })), "{none:?}");
}
