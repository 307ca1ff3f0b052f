//! The page of each kind of problem.

use super::ProblemKind;

/// The page of one kind.
pub(super) fn page(kind: ProblemKind) -> String {
    let (title, status, name) = (kind.title(), kind.status(), kind.name());
    let advice = kind.advice().replace('<', "&lt;");
    let mut code = false;
    let advice: String = advice
        .split('`')
        .map(|part| {
            let shown = if code { format!("<code>{part}</code>") } else { part.to_owned() };
            code = !code;
            shown
        })
        .collect();
    format!(
        "<!doctype html>\n<html lang=\"en\">\n<meta charset=\"utf-8\">\n<meta name=\"viewport\" \
         content=\"width=device-width\">\n<title>{title} - Kivet</title>\n<style>body {{ font: 16px/1.5 system-ui, \
         sans-serif; max-width: 40em; margin: 3em auto; padding: 0 1em; background: #fbf9f4; color: #1d2b30 }} code {{ \
         background: #eee9dd; padding: 0 .25em }}</style>\n<h1>{title}</h1>\n<p>{advice}</p>\n<p>HTTP status {status}, \
         <code>/problems/{name}</code></p>\n</html>\n"
    )
}

#[cfg(test)]
mod tests {
    use std::collections::HashSet;

    use super::*;

    /// `docs/reference/problems.md`.
    fn markdown() -> String {
        let mut text = String::from(
            "# Problems\n\nEvery error is `application/problem+json` (RFC 9457). Its `type` is a path on the service that \
             answers with this text.\n\n| type | status | what is wrong | what to do |\n| --- | --- | --- | --- |\n",
        );
        for kind in ProblemKind::ALL {
            let (name, status) = (kind.name(), kind.status().as_u16());
            text.push_str(&format!(
                "| `/problems/{name}` | {status} | {} | {} |\n",
                kind.title(),
                kind.advice()
            ));
        }
        text
    }

    #[test]
    fn the_reference_is_current() {
        for (name, current) in
            [("problems.md", markdown()), ("metrics.md", crate::metrics::reference())]
        {
            let file = std::path::Path::new(env!("CARGO_MANIFEST_DIR"))
                .join("../../docs/reference")
                .join(name);
            if std::env::var_os("KIVET_BLESS").is_some() {
                std::fs::write(&file, &current).expect("written");
            }
            assert_eq!(
                std::fs::read_to_string(&file).expect(name),
                current,
                "run with KIVET_BLESS=1"
            );
        }
    }

    #[test]
    fn names_are_unique_and_texts_are_sentences() {
        let names: HashSet<&str> = ProblemKind::ALL.iter().map(|kind| kind.name()).collect();
        assert_eq!(names.len(), ProblemKind::ALL.len());
        for kind in ProblemKind::ALL {
            assert_eq!(ProblemKind::from_name(kind.name()), Some(*kind));
            assert!(
                !kind.title().ends_with('.') && kind.advice().ends_with('.'),
                "{}",
                kind.name()
            );
            assert!(kind.status().is_client_error() || kind.status().is_server_error());
            assert_eq!(
                page(*kind).matches("<code>").count(),
                page(*kind).matches("</code>").count()
            );
        }
    }
}
