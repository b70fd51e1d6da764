//! The indexed documents by their terms of one field that tells a few kinds of documents apart.
//!
//! All documents of a partition are equally similar to each other in that field, and to all others by a known
//! most. So a search looks at the query's own partition first; most often its best documents leave
//! few others that can be among the k best.

use std::collections::BTreeMap;
use std::ops::Range;

use crate::matrix::{Doc, Term};
use crate::postings::Slot;
use crate::vectors::{IndexedField, Vectors};

/// A field with more kinds of documents than this does not partition them.
const MOST_KINDS: usize = 256;

/// The bounds of partitions that are stored for each entry of all fields at most: there is one for each
/// partition and term.
const MOST_BOUNDS: usize = 4;

/// The part of a score by which partitions must differ in the mean.
const LEAST_DIFFERENCE: f64 = 0.05;

/// The partitions by one field.
#[derive(Debug)]
pub(crate) struct Partitions {
    /// The number of the field.
    pub(crate) field: usize,
    by_row: BTreeMap<RowKey, Partition>,
    /// The end of each partition.
    pub(crate) ends: Vec<Slot>,
}

/// Documents with the same row in the field.
#[derive(Debug)]
pub(crate) struct Partition {
    /// The number of the partition, in the order of the slots.
    pub(crate) number: usize,
    /// Their slots.
    pub(crate) slots: Range<Slot>,
    /// The highest cosine in the field with a document of another partition.
    pub(crate) nearest: f64,
}

/// A row of a matrix.
type RowKey = Vec<(Term, u16)>;

impl Partitions {
    /// Chooses the field that tells documents apart best, and puts the documents in the order of its
    /// partitions, within each in rising order; `None` if no field is worth it. Takes time linear in the
    /// entries of fields with few kinds of rows.
    pub(crate) fn choose(fields: &[IndexedField], docs: &mut Vec<Doc>) -> Option<Self> {
        let each = fields.iter().enumerate();
        let most = most_kinds(fields);
        let kinds = each.filter_map(|(at, field)| {
            let kinds = kinds(&field.vectors, docs, most).filter(|_| field.weight > 0.0)?;
            let difference = field.weight * difference(&kinds, docs.len());
            (difference >= LEAST_DIFFERENCE).then_some((difference, at, kinds))
        });
        let best = kinds.max_by(|a, b| a.0.total_cmp(&b.0).then(b.1.cmp(&a.1)));
        let (_, field, kinds) = best?;
        let vectors = &fields[field].vectors;
        let firsts: Vec<Doc> = kinds.values().map(|docs| docs[0]).collect();
        let mut start = 0;
        let partitions = kinds.iter().enumerate().map(|(at, (row, docs))| {
            let end = start + u32::try_from(docs.len()).expect("fewer than 2^32 documents");
            let others = firsts.iter().enumerate().filter(|(other, _)| *other != at);
            let cosines = others.map(|(_, other)| vectors.cosine(docs[0], *other));
            let partition = Partition {
                number: at,
                slots: Slot(start)..Slot(end),
                nearest: cosines.fold(0.0, f64::max),
            };
            start = end;
            (row.clone(), partition)
        });
        let by_row: BTreeMap<_, Partition> = partitions.collect();
        *docs = kinds.into_values().flatten().collect();
        Some(Self {
            field,
            ends: by_row
                .values()
                .map(|partition| partition.slots.end)
                .collect(),
            by_row,
        })
    }

    /// Returns the partition of the documents with the same terms of the field as one; `None` if it has no
    /// term, or if no indexed document has the same.
    pub(crate) fn of(&self, vectors: &Vectors, doc: Doc) -> Option<&Partition> {
        let row: RowKey = vectors.counts.row(doc).iter().collect();
        self.by_row.get(&row).filter(|_| !row.is_empty())
    }
}

/// Returns the number of kinds up to which the bounds of all lists are small beside the lists.
fn most_kinds(fields: &[IndexedField]) -> usize {
    let (mut entries, mut terms) = (0, 0);
    for field in fields {
        entries += field.vectors.postings();
        terms += field.vectors.document_frequencies.len();
    }
    MOST_KINDS.min(MOST_BOUNDS * entries / terms.max(1))
}

/// Returns the documents by their rows; `None` if there are too many kinds.
fn kinds(vectors: &Vectors, docs: &[Doc], most: usize) -> Option<BTreeMap<RowKey, Vec<Doc>>> {
    let mut kinds: BTreeMap<RowKey, Vec<Doc>> = BTreeMap::new();
    for doc in docs {
        let row = vectors.counts.row(*doc).iter().collect();
        kinds.entry(row).or_default().push(*doc);
        if kinds.len() > most {
            return None;
        }
    }
    Some(kinds)
}

/// Returns the probability that two documents are of two kinds (Gini impurity).
fn difference(kinds: &BTreeMap<RowKey, Vec<Doc>>, documents: usize) -> f64 {
    let shares = kinds
        .values()
        .map(|docs| docs.len() as f64 / documents.max(1) as f64);
    1.0 - shares.map(|share| share.powi(2)).sum::<f64>()
}
