//! Which network addresses a check that started on the public web must not request.

use std::net::{IpAddr, Ipv4Addr, Ipv6Addr};

use url::{Host, Url};

/// Whether a URL names this machine: by IP address, or as `localhost` (RFC 6761 §6.3).
#[must_use]
pub fn is_loopback(url: &Url) -> bool {
    match url.host() {
        Some(Host::Ipv4(ip)) => ip.is_loopback(),
        Some(Host::Ipv6(ip)) => ip.is_loopback(),
        Some(Host::Domain(name)) => name == "localhost" || name.ends_with(".localhost"),
        None => false,
    }
}

/// Whether a host name belongs to private networks: a single label, `home.arpa` (RFC 8375), or a
/// name under one of the top-level domains of RFC 6761 §6.3 (`localhost`), RFC 6762 §3 and
/// appendix G (`local`, `lan`, `internal` and others), or `localdomain`.
#[must_use]
pub fn is_private_name(host: &str) -> bool {
    const TOP: [&str; 9] = [
        "localhost",
        "local",
        "intranet",
        "internal",
        "private",
        "corp",
        "home",
        "lan",
        "localdomain",
    ];
    let host = host.strip_suffix('.').unwrap_or(host).to_ascii_lowercase();
    match host.rsplit_once('.') {
        // An IPv6 address is no name.
        None => !host.contains(':'),
        Some((_, top)) => TOP.contains(&top) || host == "home.arpa" || host.ends_with(".home.arpa"),
    }
}

/// Whether this is a loopback, private, link-local, shared, unspecified or metadata address,
/// which a page on the public web should not link to.
///
/// Sources: RFC 1918, RFC 6598 (shared space), RFC 3927 and RFC 4291 §2.5.6 (link-local, where
/// the cloud metadata services live), RFC 4193 (unique local), RFC 1122 §3.2.1.3 ("this
/// network"), RFC 6890 (192.0.0.0/24), RFC 5771 and RFC 1112 (multicast and reserved), and
/// 168.63.129.16, where one cloud has its host's service. IPv6 forms that contain an IPv4 address
/// (mapped and compatible, RFC 4291 §2.5.5; NAT64, RFC 6052; 6to4, RFC 3056) are judged by that
/// address.
#[must_use]
pub fn is_private(ip: IpAddr) -> bool {
    match ip {
        IpAddr::V4(ip) => is_private_v4(ip),
        IpAddr::V6(ip) => is_private_v6(ip),
    }
}

fn is_private_v4(ip: Ipv4Addr) -> bool {
    let [a, b, c, d] = ip.octets();
    ip.is_private()
        || ip.is_loopback()
        || ip.is_link_local()
        || a >= 224
        || a == 0
        || [a, b, c] == [192, 0, 0]
        || [a, b, c, d] == [168, 63, 129, 16]
        || (a == 100 && (64..128).contains(&b))
}

fn is_private_v6(ip: Ipv6Addr) -> bool {
    if let Some(inside) = carried_v4(ip) {
        return is_private_v4(inside);
    }
    let first = ip.segments()[0];
    ip.is_loopback()
        || ip.is_unspecified()
        || ip.is_multicast()
        || (first & 0xfe00) == 0xfc00
        || (first & 0xffc0) == 0xfe80
}

fn carried_v4(ip: Ipv6Addr) -> Option<Ipv4Addr> {
    if let Some(mapped) = ip.to_ipv4_mapped() {
        return Some(mapped);
    }
    let (high, low) = match ip.segments() {
        [0x64, 0xff9b, 0, 0, 0, 0, high, low] | [0x2002, high, low, ..] => (high, low),
        // The loopback and unspecified addresses have this form too.
        [0, 0, 0, 0, 0, 0, high, low] if high != 0 => (high, low),
        _ => return None,
    };
    let [a, b] = high.to_be_bytes();
    let [c, d] = low.to_be_bytes();
    Some(Ipv4Addr::new(a, b, c, d))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_of_private_networks_are_known() {
        let names =
            ["printer", "wiki.corp", "a.b.internal", "NAS.Local.", "home.arpa", "x.home.arpa"];
        assert!(names.iter().all(|name| is_private_name(name)));
        let public = [
            "local.test",
            "internal.example.com",
            "corp.com",
            "arpa.org",
            "xhome.arpa",
            "[fe80::1]",
            "10.0.0.1",
        ];
        assert!(!public.iter().any(|name| is_private_name(name)));
    }

    #[test]
    fn inner_networks_are_private_in_every_form() {
        for text in [
            "127.0.0.1",
            "10.1.2.3",
            "172.16.0.1",
            "192.168.1.1",
            "169.254.169.254",
            "100.64.0.1",
            "0.0.0.0",
            "255.255.255.255",
            "::1",
            "::",
            "fe80::1",
            "fd00:ec2::254",
            "::ffff:127.0.0.1",
            "64:ff9b::a00:1",
            "2002:a00:1::1",
            "::10.0.0.1",
            "192.0.0.192",
            "168.63.129.16",
            "224.0.0.1",
            "ff02::1",
        ] {
            assert!(is_private(text.parse().unwrap()), "{text}");
        }
    }

    #[test]
    fn the_public_web_is_not() {
        for text in [
            "203.0.113.7",
            "8.8.8.8",
            "172.32.0.1",
            "100.128.0.1",
            "2001:db8::1",
            "::ffff:198.51.100.1",
            "64:ff9b::c633:6401",
        ] {
            assert!(!is_private(text.parse().unwrap()), "{text}");
        }
    }
}
