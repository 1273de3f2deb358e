//! A DNS server for one simulated web, over UDP and TCP (RFC 1035, RFC 7766).
//!
//! Names that exist resolve to an address for documentation (RFC 5737): public in form, but on no
//! network. Other names do not exist.

use std::collections::BTreeMap;
use std::io;
use std::net::Ipv4Addr;
use std::sync::Arc;

use hickory_proto::op::{Message, OpCode, ResponseCode};
use hickory_proto::rr::rdata::{A, SOA};
use hickory_proto::rr::{Name, RData, Record, RecordType};
use tokio::io::{AsyncReadExt, AsyncWriteExt};
use tokio::net::{TcpListener, TcpStream, UdpSocket};
use tokio::task::JoinSet;

use crate::scenario::{Host, Resolves};

const ADDRESS: Ipv4Addr = Ipv4Addr::new(203, 0, 113, 10);
const PRIVATE: Ipv4Addr = Ipv4Addr::new(10, 0, 0, 7);
const TTL: u32 = 60;

/// Answers until the task is ended.
pub(crate) async fn serve(socket: UdpSocket, hosts: Arc<BTreeMap<String, Host>>) {
    let mut buffer = [0; 1500];
    loop {
        let Ok((length, peer)) = socket.recv_from(&mut buffer).await else { continue };
        let Ok(question) = Message::from_vec(&buffer[..length]) else { continue };
        let Some(answer) = answer(&question, &hosts, false) else { continue };
        if let Ok(answer) = answer.to_vec() {
            // A resolver that has gone away needs no answer.
            let _ = socket.send_to(&answer, peer).await;
        }
    }
}

/// The same over TCP, until the task is ended.
pub(crate) async fn serve_tcp(listener: TcpListener, hosts: Arc<BTreeMap<String, Host>>) {
    let mut tasks = JoinSet::new();
    loop {
        let Ok((stream, _)) = listener.accept().await else { continue };
        // A resolver that has gone away needs no answer.
        tasks.spawn(converse(stream, Arc::clone(&hosts)));
        while tasks.try_join_next().is_some() {}
    }
}

/// Questions and answers, each preceded by its length (RFC 1035 §4.2.2).
async fn converse(mut stream: TcpStream, hosts: Arc<BTreeMap<String, Host>>) -> io::Result<()> {
    loop {
        let mut question = vec![0; usize::from(stream.read_u16().await?)];
        stream.read_exact(&mut question).await?;
        let Ok(question) = Message::from_vec(&question) else { return Ok(()) };
        let Some(answer) = answer(&question, &hosts, true) else { continue };
        let Ok(answer) = answer.to_vec() else { return Ok(()) };
        stream.write_u16(u16::try_from(answer.len()).unwrap_or(u16::MAX)).await?;
        stream.write_all(&answer).await?;
    }
}

/// The answer to a question, if there is one.
fn answer(question: &Message, hosts: &BTreeMap<String, Host>, by_tcp: bool) -> Option<Message> {
    let mut answer = Message::response(question.metadata.id, OpCode::Query);
    answer.metadata.recursion_desired = question.metadata.recursion_desired;
    answer.metadata.recursion_available = true;
    answer.add_queries(question.queries.iter().cloned());
    let Some(query) = question.queries.first() else {
        answer.metadata.response_code = ResponseCode::FormErr;
        return Some(answer);
    };
    let name = query.name().to_ascii().trim_end_matches('.').to_ascii_lowercase();
    let address = match hosts.get(&name).map(|host| host.resolves) {
        None => {
            answer.metadata.response_code = ResponseCode::NXDomain;
            None
        }
        Some(Resolves::WithFailure) => {
            answer.metadata.response_code = ResponseCode::ServFail;
            return Some(answer);
        }
        Some(Resolves::InSilence) => return None,
        Some(Resolves::ByTcp) if !by_tcp => {
            answer.metadata.truncation = true;
            return Some(answer);
        }
        Some(Resolves::ToNothing) => None,
        Some(Resolves::ToPrivate) => Some(PRIVATE),
        Some(Resolves::ToAddress | Resolves::ByTcp) => Some(ADDRESS),
    };
    match address.filter(|_| query.query_type() == RecordType::A) {
        Some(ip) => {
            answer.add_answer(Record::from_rdata(query.name().clone(), TTL, RData::A(A(ip))));
        }
        // There is no such name, or no record of that type.
        None => {
            answer.add_authority(authority());
        }
    }
    Some(answer)
}

fn authority() -> Record {
    let zone = Name::from_ascii("test.").expect("a valid name");
    let soa = SOA::new(zone.clone(), zone.clone(), 1, 3600, 600, 86_400, 60);
    Record::from_rdata(zone, TTL, RData::SOA(soa))
}
