import { Link as RouterLink } from "react-router";
import { Frame } from "./frame/Frame";

/** An address that is no page of the book. */
export function NoPage() {
  return (
    <Frame title="No such page" head="">
      <p className="wait">
        Nothing is written at this address.{" "}
        <RouterLink className="link" to="/">
          Open Morning
        </RouterLink>
        , or jump to a unit above.
      </p>
    </Frame>
  );
}
