import { Alert } from "antd";
import { useSearchParams } from "react-router";
import { NotSignedIn } from "../api/client";

/** What went wrong with a page's data, and the way out. */
export function Trouble({ error }: { error: Error }) {
  const [search] = useSearchParams();
  if (!(error instanceof NotSignedIn)) return <Alert type="error" showIcon title={error.message} />;
  const spent = search.get("link") === "spent";
  return (
    <Alert
      type="info"
      showIcon
      title={spent ? "That sign-in link was used before, or is too old." : "This browser is not signed in."}
      description={
        <>
          Run <code>kivet console</code> beside the service: it prints a link that signs one browser in, once.
        </>
      }
    />
  );
}
