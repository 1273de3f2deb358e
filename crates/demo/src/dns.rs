//! A name server for one simulated web, over UDP (RFC 1035).
//!
//! Names that exist lead to an address for documentation (RFC 5737): public to
//! look at, and on no network. What is not a name of the web does not exist.

use std::collections::BTreeMap;
use std::net::Ipv4Addr;
use std::sync::Arc;

use hickory_proto::op::{Message, OpCode, ResponseCode};
use hickory_proto::rr::rdata::{A, SOA};
use hickory_proto::rr::{Name, RData, Record, RecordType};
use tokio::net::UdpSocket;

use crate::scenario::{Host, Resolves};

const ADDRESS: Ipv4Addr = Ipv4Addr::new(203, 0, 113, 10);
const TTL: u32 = 60;

/// Answers until the task is ended.
pub(crate) async fn serve(socket: UdpSocket, hosts: Arc<BTreeMap<String, Host>>) {
    let mut buffer = [0; 1500];
    loop {
        let Ok((length, peer)) = socket.recv_from(&mut buffer).await else { continue };
        let Ok(question) = Message::from_vec(&buffer[..length]) else { continue };
        if let Ok(answer) = answer(&question, &hosts).to_vec() {
            // A resolver that has gone away asks again or does not.
            let _ = socket.send_to(&answer, peer).await;
        }
    }
}

fn answer(question: &Message, hosts: &BTreeMap<String, Host>) -> Message {
    let mut answer = Message::response(question.metadata.id, OpCode::Query);
    answer.metadata.recursion_desired = question.metadata.recursion_desired;
    answer.metadata.recursion_available = true;
    answer.add_queries(question.queries.iter().cloned());
    let Some(query) = question.queries.first() else {
        answer.metadata.response_code = ResponseCode::FormErr;
        return answer;
    };
    let name = query.name().to_ascii().trim_end_matches('.').to_ascii_lowercase();
    match hosts.get(&name).map(|host| host.resolves) {
        None => {
            answer.metadata.response_code = ResponseCode::NXDomain;
            answer.add_authority(authority());
        }
        Some(Resolves::WithFailure) => answer.metadata.response_code = ResponseCode::ServFail,
        Some(Resolves::ToAddress) if query.query_type() == RecordType::A => {
            answer.add_answer(Record::from_rdata(query.name().clone(), TTL, RData::A(A(ADDRESS))));
        }
        // The name exists, with no record of that type.
        Some(Resolves::ToAddress) => {
            answer.add_authority(authority());
        }
    }
    answer
}

fn authority() -> Record {
    let zone = Name::from_ascii("test.").expect("a valid name");
    let soa = SOA::new(zone.clone(), zone.clone(), 1, 3600, 600, 86_400, 60);
    Record::from_rdata(zone, TTL, RData::SOA(soa))
}
