import { NavLink, useParams } from 'react-router';
import { CompareTab } from './compare-tab';
import { GetTab } from './get-tab';
import { KeptTab } from './kept-tab';
import { MintTab } from './mint-tab';
import { ReadTab } from './read-tab';
import { TamperTab } from './tamper-tab';

const TABS = [
  { path: '', word: 'Read and verify', show: ReadTab },
  { path: 'get', word: 'Get a token', show: GetTab },
  { path: 'mint', word: 'Mint', show: MintTab },
  { path: 'tamper', word: 'Tamper', show: TamperTab },
  { path: 'compare', word: 'Compare two', show: CompareTab },
  { path: 'kept', word: 'Kept by name', show: KeptTab },
] as const;

/** Where tokens are read, obtained, minted, tampered with and verified. */
export function Bench() {
  const { tab = '' } = useParams();
  const Shown = (TABS.find((item) => item.path === tab) ?? TABS[0]).show;
  return (
    <>
      <div className="page-head" style={{ marginBottom: 8 }}>
        <h1>Bench</h1>
        <span className="quiet">tokens stay in this page; what is verified goes to the gateway’s own code and is not stored</span>
      </div>
      <nav className="tabs" aria-label="Parts of the bench">
        {TABS.map((item) => (
          <NavLink key={item.path} end to={item.path ? `/bench/${item.path}` : '/bench'}>
            {item.word}
          </NavLink>
        ))}
      </nav>
      <Shown />
    </>
  );
}
