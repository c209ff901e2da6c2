//! Small questions to the elements of a project: a child, a parameter, a figure, whether a fader is down, and how deep they lie.

use roxmltree::Node;

pub(super) fn child<'x>(node: Node<'x, 'x>, name: &str) -> Option<Node<'x, 'x>> {
    node.children().find(|c| c.has_tag_name(name))
}

/// The `value` of a parameter below `node`.
pub(super) fn value<'x>(node: Node<'x, 'x>, name: &str) -> Option<&'x str> {
    child(node, name).and_then(|p| p.attribute("value"))
}

pub(super) fn is_true(word: Option<&str>, usual: bool) -> bool {
    word.map_or(usual, |w| w == "true" || w == "1")
}

pub(super) fn number(node: Node<'_, '_>, name: &str) -> Option<f64> {
    node.attribute(name)?.parse::<f64>().ok().filter(|v| v.is_finite())
}

/// A fader that is all the way down.
pub(super) fn is_silent(volume: Node<'_, '_>) -> bool {
    let Some(value) = volume.attribute("value") else { return false };
    let figure = value.parse::<f64>().ok();
    match volume.attribute("unit") {
        Some("decibel") => value == "-inf" || figure.is_some_and(|v| v <= -120.0),
        Some(_) | None => figure.is_some_and(|v| v <= 0.0),
    }
}

/// Whether elements lie deeper in each other than what may be followed down safely; asked without following them down.
pub(super) fn is_deeper_than(root: Node<'_, '_>, most: usize) -> bool {
    let (mut at, mut deep) = (root, 0);
    loop {
        if let Some(inner) = at.first_child() {
            (at, deep) = (inner, deep + 1);
            if deep > most {
                return true;
            }
            continue;
        }
        loop {
            if at == root {
                return false;
            }
            if let Some(next) = at.next_sibling() {
                at = next;
                break;
            }
            let Some(outer) = at.parent() else { return false };
            (at, deep) = (outer, deep - 1);
        }
    }
}
