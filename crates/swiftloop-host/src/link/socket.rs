//! A socket that says when packets went and came, as far as the system notes it.

use std::io::ErrorKind;
use std::net::{SocketAddr, UdpSocket};
use std::time::Duration;

/// Why a way cannot be measured.
#[derive(Debug, thiserror::Error)]
pub enum LinkError {
    /// No such name, or no address behind it.
    #[error("{0} leads to no address")]
    NoSuchHost(String),
    /// The address is taken, or may not be listened on.
    #[error("cannot listen on {0}: {1}")]
    CannotListen(SocketAddr, std::io::Error),
    /// Packets cannot be sent there.
    #[error("cannot send to {0}: {1}")]
    CannotSend(SocketAddr, std::io::Error),
    #[error("{0} refuses: nobody listens there")]
    Refused(SocketAddr),
    #[error("{0} does not answer")]
    Silent(SocketAddr),
    /// Answers come, but none that fits.
    #[error("{0} answers, but not as it should")]
    Foreign(SocketAddr),
    /// Short packets come back, these do not.
    #[error("{at} answers short packets, but none of {bytes} bytes")]
    TooLarge {
        at: SocketAddr,
        /// So many bytes behind the head of UDP.
        bytes: usize,
    },
}

/// A packet that arrived.
#[derive(Debug, Clone, Copy)]
pub(super) struct Got {
    pub length: usize,
    pub from: SocketAddr,
    /// When, by the clock on the wall, if the kernel said so.
    pub stamp: Option<i64>,
    /// Hops that it had left.
    pub ttl: Option<u8>,
}

/// A socket of ours.
#[derive(Debug)]
pub(super) struct Socket {
    pub udp: UdpSocket,
    /// The kernel stamps what goes and comes.
    pub stamps: bool,
}

/// Room for what arrives while nobody looks.
#[cfg(target_os = "linux")]
const ROOM_BYTES: usize = 4 << 20;

/// What the kernel is to stamp. Of what went it keeps a note for each packet until that is read, in the room for what arrives: whoever
/// does not read it must not ask for it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Stamps {
    Arrivals,
    /// What arrives, and what went.
    Both,
}

impl Socket {
    pub(super) fn bound(to: SocketAddr, wanted: Stamps) -> Result<Self, LinkError> {
        let udp = UdpSocket::bind(to).map_err(|e| LinkError::CannotListen(to, e))?;
        let stamps = prepare(&udp, wanted);
        Ok(Self { udp, stamps })
    }

    /// A socket that only hears `to`.
    pub(super) fn connected(to: SocketAddr, wanted: Stamps) -> Result<Self, LinkError> {
        let any: SocketAddr = if to.is_ipv4() { ([0u8; 4], 0).into() } else { ([0u16; 8], 0).into() };
        let socket = Self::bound(any, wanted)?;
        socket.udp.connect(to).map_err(|e| LinkError::CannotSend(to, e))?;
        Ok(socket)
    }

    pub(super) fn wait_at_most(&self, time: Duration) {
        let _ = self.udp.set_read_timeout(Some(time.max(Duration::from_micros(100))));
    }

    /// The next packet; none when none comes in time. What the network says of earlier packets is told as an error.
    pub(super) fn receive(&self, buffer: &mut [u8], wait: bool) -> std::io::Result<Option<Got>> {
        match receive(&self.udp, buffer, wait) {
            Ok(got) => Ok(Some(got)),
            Err(e)
                if matches!(
                    e.kind(),
                    ErrorKind::WouldBlock | ErrorKind::TimedOut | ErrorKind::Interrupted
                ) =>
            {
                Ok(None)
            }
            Err(e) => Err(e),
        }
    }
}

#[cfg(target_os = "linux")]
mod linux {
    use super::{Got, Stamps};
    use nix::sys::socket::{ControlMessageOwned, MsgFlags, SockaddrStorage, recvmsg, setsockopt, sockopt};
    use std::io::IoSliceMut;
    use std::net::{SocketAddr, UdpSocket};
    use std::os::fd::AsRawFd;

    fn stamps(wanted: Stamps) -> nix::sys::socket::TimestampingFlag {
        use nix::sys::socket::TimestampingFlag as Flag;
        if wanted == Stamps::Arrivals {
            return Flag::SOF_TIMESTAMPING_SOFTWARE | Flag::SOF_TIMESTAMPING_RX_SOFTWARE;
        }
        Flag::SOF_TIMESTAMPING_SOFTWARE
            | Flag::SOF_TIMESTAMPING_RX_SOFTWARE
            | Flag::SOF_TIMESTAMPING_TX_SOFTWARE
            | Flag::SOF_TIMESTAMPING_OPT_ID
            | Flag::SOF_TIMESTAMPING_OPT_TSONLY
    }

    /// Asks for all that the kernel can say; whether it stamps.
    pub(super) fn prepare(udp: &UdpSocket, wanted: Stamps) -> bool {
        let _ = setsockopt(udp, sockopt::RcvBuf, &super::ROOM_BYTES);
        let _ = setsockopt(udp, sockopt::Ipv4RecvTtl, &true);
        let _ = setsockopt(udp, sockopt::Ipv6RecvHopLimit, &true);
        setsockopt(udp, sockopt::Timestamping, &stamps(wanted)).is_ok()
    }

    /// The largest packet that goes that way in one piece, as far as the kernel knows.
    pub(super) fn largest_whole(udp: &UdpSocket) -> Option<u32> {
        nix::sys::socket::getsockopt(udp, sockopt::IpMtu).ok().and_then(|bytes| u32::try_from(bytes).ok())
    }

    /// The six bits by which routers tell what goes first.
    pub(super) fn set_dscp(udp: &UdpSocket, v6: bool, dscp: u8) {
        let bits = i32::from(dscp & 0x3f) << 2;
        let _ = if v6 {
            setsockopt(udp, sockopt::Ipv6TClass, &bits)
        } else {
            setsockopt(udp, sockopt::Ipv4Tos, &bits)
        };
    }

    fn address(from: Option<SockaddrStorage>) -> SocketAddr {
        let v4 = from.and_then(|a| a.as_sockaddr_in().map(|a| SocketAddr::from((a.ip(), a.port()))));
        let v6 = || from.and_then(|a| a.as_sockaddr_in6().map(|a| SocketAddr::from((a.ip(), a.port()))));
        v4.or_else(v6).unwrap_or_else(|| SocketAddr::from(([0, 0, 0, 0], 0)))
    }

    fn nanoseconds(time: nix::sys::time::TimeSpec) -> i64 {
        time.tv_sec().saturating_mul(1_000_000_000).saturating_add(time.tv_nsec())
    }

    #[allow(clippy::wildcard_enum_match_arm, reason = "the list is not ours, and grows")]
    pub(super) fn receive(udp: &UdpSocket, buffer: &mut [u8], wait: bool) -> std::io::Result<Got> {
        let mut room = nix::cmsg_space!([nix::sys::time::TimeSpec; 3], i32, i32);
        let mut parts = [IoSliceMut::new(buffer)];
        let flags = if wait { MsgFlags::empty() } else { MsgFlags::MSG_DONTWAIT };
        let got = recvmsg::<SockaddrStorage>(udp.as_raw_fd(), &mut parts, Some(&mut room), flags)?;
        let (mut stamp, mut ttl) = (None, None);
        for told in got.cmsgs()? {
            match told {
                ControlMessageOwned::ScmTimestampsns(all) => {
                    stamp = Some(nanoseconds(all.system)).filter(|ns| *ns > 0);
                }
                ControlMessageOwned::Ipv4Ttl(hops) | ControlMessageOwned::Ipv6HopLimit(hops) => {
                    ttl = u8::try_from(hops).ok();
                }
                _ => {}
            }
        }
        Ok(Got { length: got.bytes, from: address(got.address), stamp, ttl })
    }

    /// What the kernel says of packets that went: which of those that were sent, and when.
    #[allow(clippy::wildcard_enum_match_arm, reason = "the list is not ours, and grows")]
    pub(super) fn next_sent(udp: &UdpSocket) -> Option<(u32, i64)> {
        /// `SO_EE_ORIGIN_TIMESTAMPING` of Linux.
        const OF_STAMPS: u8 = 4;
        let mut room = nix::cmsg_space!([nix::sys::time::TimeSpec; 3], [u8; 64]);
        let mut byte = [0u8; 1];
        let mut parts = [IoSliceMut::new(&mut byte)];
        let flags = MsgFlags::MSG_ERRQUEUE | MsgFlags::MSG_DONTWAIT;
        let got = recvmsg::<SockaddrStorage>(udp.as_raw_fd(), &mut parts, Some(&mut room), flags).ok()?;
        let (mut stamp, mut which) = (0, u32::MAX);
        for told in got.cmsgs().ok()? {
            match told {
                ControlMessageOwned::ScmTimestampsns(all) => stamp = nanoseconds(all.system),
                ControlMessageOwned::Ipv4RecvErr(about, _) if about.ee_origin == OF_STAMPS => {
                    which = about.ee_data
                }
                ControlMessageOwned::Ipv6RecvErr(about, _) if about.ee_origin == OF_STAMPS => {
                    which = about.ee_data
                }
                _ => {}
            }
        }
        Some((which, stamp))
    }
}

#[cfg(target_os = "linux")]
use linux::{prepare, receive};

impl Socket {
    /// Marks what is sent, so that routers which look at it let it go first.
    #[cfg(target_os = "linux")]
    pub(super) fn set_dscp(&self, v6: bool, dscp: u8) {
        linux::set_dscp(&self.udp, v6, dscp);
    }

    /// The largest packet, with the head of IP, that goes to the other side in one piece, as far as the system knows.
    #[cfg(target_os = "linux")]
    pub(super) fn largest_whole(&self) -> Option<u32> {
        linux::largest_whole(&self.udp)
    }

    #[cfg(not(target_os = "linux"))]
    pub(super) fn largest_whole(&self) -> Option<u32> {
        None
    }

    #[cfg(not(target_os = "linux"))]
    pub(super) fn set_dscp(&self, _: bool, _: u8) {}

    /// What the kernel says of packets that went: which of those that were sent, and when by the clock on the wall.
    #[cfg(target_os = "linux")]
    pub(super) fn next_sent(&self) -> Option<(u32, i64)> {
        linux::next_sent(&self.udp)
    }

    #[cfg(not(target_os = "linux"))]
    pub(super) fn next_sent(&self) -> Option<(u32, i64)> {
        None
    }
}

#[cfg(not(target_os = "linux"))]
fn prepare(_: &UdpSocket, _: Stamps) -> bool {
    false
}

#[cfg(not(target_os = "linux"))]
fn receive(udp: &UdpSocket, buffer: &mut [u8], wait: bool) -> std::io::Result<Got> {
    udp.set_nonblocking(!wait)?;
    let (length, from) = udp.recv_from(buffer)?;
    Ok(Got { length, from, stamp: None, ttl: None })
}
