//! How many parts an ONNX file's graph has, told without opening it.
//!
//! The file is a message of protocol buffers (onnx.proto): each field has a number and a length, so that those that do not matter
//! are stepped over.

/// How deep graphs may lie in attributes of nodes of graphs.
const DEEPEST: usize = 16;

/// Fields that hold parts, by the message they stand in.
mod field {
    /// `ModelProto.graph`, and the functions beside it.
    pub const OF_MODEL: [u64; 2] = [7, 25];
    /// `GraphProto.node`, `initializer`, `input`, `output`, `value_info`, `sparse_initializer`.
    pub const OF_GRAPH: [u64; 6] = [1, 5, 11, 12, 13, 15];
    /// `FunctionProto.node`.
    pub const OF_FUNCTION: u64 = 7;
    /// `NodeProto.attribute`.
    pub const ATTRIBUTE: u64 = 5;
    /// `AttributeProto.g` and `graphs`.
    pub const GRAPHS: [u64; 2] = [6, 11];
}

/// Nodes, weights and values of a model's graph, its functions, and the graphs in their nodes. What is no such message has none.
pub fn count(model: &[u8]) -> usize {
    fields(model)
        .filter(|(number, _)| field::OF_MODEL.contains(number))
        .map(|(number, content)| if number == field::OF_MODEL[0] { of_graph(content, 0) } else { of_function(content) })
        .sum()
}

fn of_graph(graph: &[u8], depth: usize) -> usize {
    let parts = fields(graph).filter(|(number, _)| field::OF_GRAPH.contains(number));
    parts.map(|(number, part)| 1 + if number == 1 { in_node(part, depth) } else { 0 }).sum()
}

fn of_function(function: &[u8]) -> usize {
    let nodes = fields(function).filter(|(number, _)| *number == field::OF_FUNCTION);
    nodes.map(|(_, node)| 1 + in_node(node, 0)).sum()
}

fn in_node(node: &[u8], depth: usize) -> usize {
    if depth == DEEPEST {
        return 0;
    }
    let attributes = fields(node).filter(|(number, _)| *number == field::ATTRIBUTE);
    let graphs = attributes.flat_map(|(_, attribute)| fields(attribute)).filter(|(n, _)| field::GRAPHS.contains(n));
    graphs.map(|(_, graph)| of_graph(graph, depth + 1)).sum()
}

/// The fields of a message that have a length, with their numbers; up to the first that makes no sense.
fn fields(mut message: &[u8]) -> impl Iterator<Item = (u64, &[u8])> {
    std::iter::from_fn(move || {
        loop {
            let key = number(&mut message)?;
            let length = match key & 7 {
                0 => {
                    number(&mut message)?;
                    continue;
                }
                1 => 8,
                2 => usize::try_from(number(&mut message)?).ok()?,
                5 => 4,
                _ => return None,
            };
            let (content, rest) = message.split_at_checked(length)?;
            message = rest;
            if key & 7 == 2 {
                return Some((key >> 3, content));
            }
        }
    })
}

/// A number of seven bits a byte, the lowest first.
fn number(message: &mut &[u8]) -> Option<u64> {
    let mut value = 0_u64;
    for shift in (0..64).step_by(7) {
        let (byte, rest) = message.split_first()?;
        *message = rest;
        value |= u64::from(byte & 0x7F) << shift;
        if byte & 0x80 == 0 {
            return Some(value);
        }
    }
    None
}

#[cfg(test)]
mod tests {
    use super::*;

    fn field(number: u8, content: &[u8]) -> Vec<u8> {
        let mut bytes = vec![number << 3 | 2];
        let mut length = content.len();
        while length > 0x7F {
            bytes.push(length as u8 | 0x80);
            length >>= 7;
        }
        bytes.push(length as u8);
        bytes.extend(content);
        bytes
    }

    #[test]
    fn nodes_weights_and_values_count_wherever_they_are() {
        let inner = field(5, b"weights").repeat(300);
        let node = field(5, &field(6, &inner));
        let graph = [field(1, &node), field(1, b""), field(2, b"its name"), field(11, b"x"), field(12, b"y")].concat();
        let model = [vec![0x08, 0x08], field(7, &graph), field(14, b"told")].concat();
        assert_eq!(count(&model), 304);
        assert_eq!(count(b"no model at all"), 0);
        assert_eq!(count(&model[..40]), 0, "cut short: the graph is longer than the file");
    }

    #[test]
    fn what_ships_has_few_parts() {
        let model = std::fs::read(concat!(env!("CARGO_MANIFEST_DIR"), "/../../models/everyday-x4-fine.onnx")).unwrap();
        assert!((10..2000).contains(&count(&model)), "{}", count(&model));
    }
}
