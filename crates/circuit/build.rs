//! A family file that is added or taken away is a change, although no line of code is.

fn main() {
    println!("cargo:rerun-if-changed=data/families");
}
