//! Lists against the reference packages, the standards, and hostile files.

mod parts {
    mod archive;
    mod captions;
    mod grids;
    mod hostile;
    mod lists;
    mod reference;
}
