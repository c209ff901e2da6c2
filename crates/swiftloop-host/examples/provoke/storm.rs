//! Packets that keep a core busy, without any network.

use super::threads::Failed;

/// Packets within a network of their own, each looked at for long.
pub struct Storm {
    sender: i32,
    to: libc::sockaddr_in,
    _listeners: Vec<i32>,
}

impl Storm {
    /// Looked at when they go out (by the sender itself), or when they come in (by the kernel's network work).
    pub fn new(outgoing: bool) -> Result<Self, Failed> {
        // SAFETY: plain calls with values that are valid for each; every descriptor stays open to the end.
        unsafe {
            if libc::unshare(libc::CLONE_NEWNET) != 0 {
                return Err("no network namespace of its own".into());
            }
            let sender = libc::socket(libc::AF_INET, libc::SOCK_DGRAM, 0);
            let mut request: libc::ifreq = std::mem::zeroed();
            for (to, from) in request.ifr_name.iter_mut().zip(b"lo") {
                *to = *from as libc::c_char;
            }
            request.ifr_ifru.ifru_flags = (libc::IFF_UP | libc::IFF_RUNNING) as libc::c_short;
            if libc::ioctl(sender, libc::SIOCSIFFLAGS as _, &raw mut request) != 0 {
                return Err("its loopback cannot be taken up".into());
            }
            // Somebody has to be there for whom the packets are.
            let receiver = libc::socket(libc::AF_INET, libc::SOCK_DGRAM, 0);
            let mut to: libc::sockaddr_in = std::mem::zeroed();
            to.sin_family = libc::AF_INET as libc::sa_family_t;
            to.sin_port = 9999u16.to_be();
            to.sin_addr.s_addr = u32::from_ne_bytes([127, 0, 0, 1]);
            let length = size_of::<libc::sockaddr_in>() as libc::socklen_t;
            libc::bind(receiver, (&raw const to).cast(), length);
            let mut listeners = vec![receiver];
            for _ in 0..60 {
                let all = libc::c_int::from((libc::ETH_P_ALL as u16).to_be());
                let listener = libc::socket(libc::AF_PACKET, libc::SOCK_RAW, all);
                if listener < 0 {
                    return Err("no listener to packets".into());
                }
                long_filter(listener, outgoing)?;
                listeners.push(listener);
            }
            Ok(Self { sender, to, _listeners: listeners })
        }
    }

    pub fn send(&self) {
        let packet = [0u8; 64];
        let length = size_of::<libc::sockaddr_in>() as libc::socklen_t;
        // SAFETY: the socket is open, packet and address are valid for the call.
        unsafe {
            libc::sendto(
                self.sender,
                packet.as_ptr().cast(),
                packet.len(),
                0,
                (&raw const self.to).cast(),
                length,
            )
        };
    }
}

/// A filter of four thousand steps that lets nothing through, for packets in one direction.
fn long_filter(socket: i32, outgoing: bool) -> Result<(), Failed> {
    const LOAD: u16 = 0x20;
    const EQUAL: u16 = 0x15;
    const RETURN: u16 = 0x06;
    const ADD: u16 = 0x04;
    /// Where the kernel keeps the direction of a packet: `SKF_AD_OFF + SKF_AD_PKTTYPE`.
    const DIRECTION: u32 = 0xffff_f000 + 4;
    const OUTGOING: u32 = 4;
    let step = |code, jt, jf, k| libc::sock_filter { code, jt, jf, k };
    let mut steps = vec![step(LOAD, 0, 0, DIRECTION)];
    // The direction that is not meant is let go at once.
    steps.push(if outgoing { step(EQUAL, 1, 0, OUTGOING) } else { step(EQUAL, 0, 1, OUTGOING) });
    steps.push(step(RETURN, 0, 0, 0));
    steps.extend((0..4000).map(|n| step(ADD, 0, 0, n)));
    steps.push(step(RETURN, 0, 0, 0));
    let program = libc::sock_fprog { len: steps.len() as u16, filter: steps.as_mut_ptr() };
    let size = size_of::<libc::sock_fprog>() as libc::socklen_t;
    // SAFETY: the socket is open, the program is valid for the call.
    let set = unsafe {
        libc::setsockopt(socket, libc::SOL_SOCKET, libc::SO_ATTACH_FILTER, (&raw const program).cast(), size)
    };
    if set == 0 { Ok(()) } else { Err("no filter for packets".into()) }
}
