//! The header for C is what cbindgen writes from the face for C. `ESTAMPIE_HEADER=write` renews it.
#![allow(clippy::unwrap_used, missing_docs)]

use std::path::Path;

const INTRODUCTION: &str = "\
/* Estampie: plays a bundle inside a game. Written by cbindgen from src/c.rs.
 *
 * One thread renders: the audio thread. All other functions may be called from any other thread; where two are called at once, one waits for the
 * other, and the audio thread waits for neither. Nothing here calls back. No function gives more than it says: errors are codes with a text
 * (estampie_text), or a null pointer with a text in the memory that is given for it.
 *
 * Frames count from 0, the first that is rendered, at estampie_rate() a second. What is said for a frame that is past counts at the start of the next
 * block of 64: ESTAMPIE_NOW is always past. Keys are made of names once (estampie_key) and stay the same; 0 is none.
 * Places are metres to the east (x), to the north (y) and up (z); angles degrees clockwise from north.
 */";

fn generated() -> String {
    let mut config = cbindgen::Config {
        language: cbindgen::Language::C,
        style: cbindgen::Style::Both,
        pragma_once: true,
        cpp_compat: true,
        no_includes: true,
        header: Some(INTRODUCTION.into()),
        sys_includes: ["math.h", "stddef.h", "stdint.h"].map(String::from).into(),
        after_includes: Some(
            "\n/* For numbers that stay as they were: where a glide begins, where an emitter looks. */\n#define ESTAMPIE_AS_BEFORE NAN".into(),
        ),
        documentation_style: cbindgen::DocumentationStyle::C,
        usize_is_size_t: true,
        line_length: 160,
        ..Default::default()
    };
    for (rust, c) in [("Estampie", "estampie"), ("EstampieOptions", "estampie_options")] {
        config.export.rename.insert(rust.into(), c.into());
    }
    let source = Path::new(env!("CARGO_MANIFEST_DIR")).join("src/c.rs");
    let bindings = cbindgen::Builder::new().with_src(source).with_config(config).generate().unwrap();
    let mut out = Vec::new();
    bindings.write(&mut out);
    // Links are for readers of Rust, and so are headings.
    String::from_utf8(out)
        .unwrap()
        .replace("[`", "")
        .replace("`]", "")
        .replace("# Safety\n *\n", "What the caller promises:\n")
        .replace("# Safety\n", "What the caller promises:\n")
}

#[test]
fn the_header_is_what_the_face_for_c_says() {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("include/estampie.h");
    let header = generated();
    if std::env::var_os("ESTAMPIE_HEADER").is_some_and(|how| how == "write") {
        std::fs::write(&path, &header).unwrap();
    }
    assert_eq!(std::fs::read_to_string(&path).unwrap(), header, "ESTAMPIE_HEADER=write cargo test -p estampie-runtime --test header");
    // Nothing of the face is left out, and there is nothing else.
    let source = include_str!("../src/c.rs");
    let functions: Vec<&str> = source.split("extern \"C\" fn ").skip(1).filter_map(|s| s.split('(').next()).collect();
    assert!(functions.len() >= 24);
    for name in functions {
        assert_eq!(header.matches(&format!("{name}(")).count() - usize::from(name == "estampie_rate"), 1, "{name}");
    }
}
