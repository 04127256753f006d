import { Link, useLocation } from "react-router";
import { Question } from "../parts/question.js";
import { Table } from "../parts/table.js";
import { documentOf, documents, shortcutsOf } from "./documents.js";

/** The keyboard shortcuts of a place, and the way to what is written about it. */
export default function Shortcuts({ onClose }: { onClose: () => void }) {
  const { pathname } = useLocation();
  const about = documentOf(pathname);
  return (
    <Question title="Keyboard shortcuts" onClose={onClose}>
      <Table>
        <tbody>
          {shortcutsOf(pathname).map(([keys, does]) => (
            <tr key={keys}>
              <th scope="row">
                <kbd>{keys}</kbd>
              </th>
              <td>{does}</td>
            </tr>
          ))}
        </tbody>
      </Table>
      <footer>
        <Link to={`/help/${about}`} onClick={onClose}>
          Help: {documents[about]}
        </Link>
      </footer>
    </Question>
  );
}
