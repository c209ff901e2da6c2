//! Lists and tables in whatever form somebody wrote them: `[[interface]]` or `interface = [{ … }]`, `[machine]`,
//! `machine = { … }` or `machine.cores = 4`.

use toml_edit::{Array, ArrayOfTables, InlineTable, Item, Table, TableLike, Value};

/// The tables of a list, in either form.
pub fn tables_mut(item: &mut Item) -> Vec<&mut dyn TableLike> {
    match item {
        Item::ArrayOfTables(all) => all.iter_mut().map(|t| t as &mut dyn TableLike).collect(),
        Item::Value(Value::Array(all)) => {
            all.iter_mut().filter_map(|v| Some(v.as_inline_table_mut()? as &mut dyn TableLike)).collect()
        }
        Item::None | Item::Value(_) | Item::Table(_) => Vec::new(),
    }
}

/// Adds a table at the end of the list called `key`, in the form the list has (or that goes with the table it is in).
pub fn push(owner: &mut dyn TableLike, key: &str, table: Table, owner_is_inline: bool) -> bool {
    if owner.get(key).is_none() {
        let empty = if owner_is_inline {
            Item::Value(Value::Array(Array::new()))
        } else {
            Item::ArrayOfTables(ArrayOfTables::new())
        };
        owner.insert(key, empty);
    }
    match owner.get_mut(key) {
        Some(Item::ArrayOfTables(all)) => {
            all.push(table);
            true
        }
        Some(Item::Value(Value::Array(all))) => {
            all.push(inline(table));
            true
        }
        Some(Item::None | Item::Value(_) | Item::Table(_)) | None => false,
    }
}

/// A table on one line, comments left behind: there is no place for them within a line.
pub fn inline(table: Table) -> Value {
    let mut inline = InlineTable::new();
    for (key, item) in table {
        let value = match item {
            Item::Value(mut value) => {
                value.decor_mut().clear();
                value
            }
            Item::Table(inner) => self::inline(inner),
            Item::ArrayOfTables(all) => Value::Array(all.into_iter().map(self::inline).collect()),
            Item::None => continue,
        };
        inline.insert(key, value);
    }
    Value::InlineTable(inline)
}

/// Whether a table stands on one line.
pub fn is_inline(item: &Item) -> bool {
    matches!(item, Item::Value(Value::InlineTable(_)))
}
