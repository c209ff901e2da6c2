//! What an LV2 bundle says of its processors: `manifest.ttl` and the files it names come in, each with its library, ports and what
//! it wants of its host go out. Files are read within the bundle only.

use super::Unfit;
use oxrdf::{NamedOrBlankNode, Term, Triple};
use oxttl::TurtleParser;
use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

const LV2: &str = "http://lv2plug.in/ns/lv2core#";
const TYPE: &str = "http://www.w3.org/1999/02/22-rdf-syntax-ns#type";
const SEE_ALSO: &str = "http://www.w3.org/2000/01/rdf-schema#seeAlso";
const NAME: &str = "http://usefulinc.com/ns/doap#name";
const ATOM: &str = "http://lv2plug.in/ns/ext/atom#AtomPort";
const SUPPORTS: &str = "http://lv2plug.in/ns/ext/atom#supports";
const MIDI: &str = "http://lv2plug.in/ns/ext/midi#MidiEvent";
/// A description is text, and small.
const LARGEST: u64 = 16 << 20;
/// Files and statements of one bundle, at the most.
const MOST_FILES: usize = 500;
const MOST_STATEMENTS: usize = 2_000_000;

/// What goes through a port.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Through {
    /// Sound, or what is as fast.
    Sound,
    Figure,
    Events,
    /// Something else, which may be left out.
    Nothing,
}

#[derive(Debug, Clone, PartialEq)]
pub(super) struct PortOf {
    pub index: u32,
    pub input: bool,
    pub through: Through,
    pub usual: f32,
    /// It tells the delay in frames.
    pub is_latency: bool,
    pub notes: bool,
    /// It may be left unconnected.
    pub optional: bool,
}

/// A processor of a bundle.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct BundledProcessor {
    pub uri: String,
    pub name: String,
    pub library: PathBuf,
    pub version: Option<String>,
    pub ports: Vec<PortOf>,
    /// What it cannot do without.
    pub wants: Vec<String>,
}

/// Statements by what they are about, then by what they say of it.
#[derive(Default)]
struct Statements {
    all: BTreeMap<String, BTreeMap<String, Vec<Term>>>,
    count: usize,
}

fn key(node: &NamedOrBlankNode, file: usize) -> String {
    match node {
        NamedOrBlankNode::NamedNode(n) => n.as_str().to_string(),
        // Nameless ones of two files are not the same.
        NamedOrBlankNode::BlankNode(b) => format!("_:{file}:{}", b.as_str()),
    }
}

impl Statements {
    fn add(&mut self, path: &Path, file: usize) -> Result<(), Unfit> {
        let wrong = |why: String| Unfit::NoLibrary(format!("{} is not sound: {why}", path.display()));
        let about = std::fs::metadata(path).map_err(|e| wrong(e.to_string()))?;
        if about.len() > LARGEST {
            return Err(wrong("it is too large for a description".into()));
        }
        let text = std::fs::read(path).map_err(|e| wrong(e.to_string()))?;
        let base = format!("file://{}", path.display()).replace(' ', "%20");
        let parser = TurtleParser::new().lenient().with_base_iri(base).map_err(|e| wrong(e.to_string()))?;
        for triple in parser.for_slice(&text) {
            let Triple { subject, predicate, object } = triple.map_err(|e| wrong(e.to_string()))?;
            self.count += 1;
            if self.count > MOST_STATEMENTS {
                return Err(wrong("it says too much".into()));
            }
            let object = match object {
                Term::BlankNode(b) => {
                    Term::NamedNode(oxrdf::NamedNode::new_unchecked(format!("_:{file}:{}", b.as_str())))
                }
                other @ Term::NamedNode(_) | other @ Term::Literal(_) => other,
            };
            let of = self.all.entry(key(&subject, file)).or_default();
            of.entry(predicate.as_str().to_string()).or_default().push(object);
        }
        Ok(())
    }

    fn of(&self, subject: &str, predicate: &str) -> &[Term] {
        self.all.get(subject).and_then(|p| p.get(predicate)).map_or(&[], Vec::as_slice)
    }

    fn lv2(&self, subject: &str, word: &str) -> &[Term] {
        self.of(subject, &format!("{LV2}{word}"))
    }

    fn is(&self, subject: &str, kind: &str) -> bool {
        self.of(subject, TYPE).iter().any(|t| name(t) == Some(kind))
    }

    fn figure(&self, subject: &str, word: &str) -> Option<f32> {
        self.lv2(subject, word).iter().find_map(|t| literal(t)?.parse().ok())
    }
}

fn name(term: &Term) -> Option<&str> {
    match term {
        Term::NamedNode(n) => Some(n.as_str()),
        Term::BlankNode(_) | Term::Literal(_) => None,
    }
}

fn literal(term: &Term) -> Option<&str> {
    match term {
        Term::Literal(l) => Some(l.value()),
        Term::NamedNode(_) | Term::BlankNode(_) => None,
    }
}

/// A file of the bundle, by its address; none outside.
fn within(bundle: &Path, address: &str) -> Option<PathBuf> {
    let path = address.strip_prefix("file://")?.replace("%20", " ");
    let path = PathBuf::from(path).canonicalize().ok()?;
    path.starts_with(bundle).then_some(path)
}

/// All processors of a bundle.
pub(super) fn read(bundle: &Path) -> Result<Vec<BundledProcessor>, Unfit> {
    let bundle = bundle.canonicalize().map_err(|e| Unfit::NoLibrary(e.to_string()))?;
    let manifest = bundle.join("manifest.ttl");
    if !manifest.is_file() {
        return Err(Unfit::NoLibrary("it is no LV2 bundle: it holds no manifest.ttl".into()));
    }
    let mut said = Statements::default();
    said.add(&manifest, 0)?;
    let plugin = format!("{LV2}Plugin");
    let plugins: Vec<String> = said.all.keys().filter(|s| said.is(s, &plugin)).cloned().collect();
    let more: BTreeSet<PathBuf> = plugins
        .iter()
        .flat_map(|p| said.of(p, SEE_ALSO))
        .filter_map(|t| within(&bundle, name(t)?))
        .filter(|p| p.extension().is_some_and(|e| e == "ttl"))
        .take(MOST_FILES)
        .collect();
    for (i, path) in more.iter().enumerate() {
        said.add(path, i + 1)?;
    }
    Ok(plugins.iter().filter_map(|uri| described(&said, &bundle, uri)).collect())
}

fn described(said: &Statements, bundle: &Path, uri: &str) -> Option<BundledProcessor> {
    let library = said.lv2(uri, "binary").iter().find_map(|t| within(bundle, name(t)?))?;
    let ports = said.lv2(uri, "port").iter().filter_map(|t| port(said, name(t)?)).collect();
    let called = said.of(uri, NAME).iter().find_map(literal).unwrap_or(uri).to_string();
    let wants = said.lv2(uri, "requiredFeature").iter().filter_map(name).map(String::from).collect();
    let part = |word: &str| said.lv2(uri, word).iter().find_map(literal);
    let version =
        part("minorVersion").zip(part("microVersion")).map(|(minor, micro)| format!("{minor}.{micro}"));
    Some(BundledProcessor { uri: uri.into(), name: called, library, version, ports, wants })
}

fn port(said: &Statements, at: &str) -> Option<PortOf> {
    let index = said.lv2(at, "index").iter().find_map(|t| literal(t)?.parse().ok())?;
    let is = |word: &str| said.is(at, &format!("{LV2}{word}"));
    let through = if is("AudioPort") || is("CVPort") {
        Through::Sound
    } else if is("ControlPort") {
        Through::Figure
    } else if said.is(at, ATOM) {
        Through::Events
    } else {
        Through::Nothing
    };
    let (least, most) = (said.figure(at, "minimum"), said.figure(at, "maximum"));
    let usual = said.figure(at, "default").or(least).unwrap_or(0.0);
    let bounded = match (least, most) {
        (Some(least), Some(most)) if least <= most => usual.clamp(least, most),
        _ => usual,
    };
    let has = |word: &str, value: &str| {
        said.lv2(at, word).iter().any(|t| name(t) == Some(&format!("{LV2}{value}")))
    };
    Some(PortOf {
        index,
        input: is("InputPort"),
        through,
        usual: bounded,
        notes: said.of(at, SUPPORTS).iter().any(|t| name(t) == Some(MIDI)),
        is_latency: has("designation", "latency") || has("portProperty", "reportsLatency"),
        optional: has("portProperty", "connectionOptional"),
    })
}
